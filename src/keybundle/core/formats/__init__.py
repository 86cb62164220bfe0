"""Formats of files: what each holds, told by its content, one module for each; all of this runs in workers."""
