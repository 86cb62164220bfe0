"""The set-up file: cabinets, document types, registers, routines, people."""
