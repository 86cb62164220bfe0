"""Cabinets, folders, documents, versions, audit trail."""
