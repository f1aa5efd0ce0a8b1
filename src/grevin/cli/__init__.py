"""The command line: one module per command; talks to the core only."""
