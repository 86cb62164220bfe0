"""Batch, page, document: commands with undo, page balance."""
