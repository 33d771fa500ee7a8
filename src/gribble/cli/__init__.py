"""The command line, one module a command: parse, call the core, hand to a view."""
