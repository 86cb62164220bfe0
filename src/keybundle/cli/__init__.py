"""The command line: parse, call a workflow, print."""
