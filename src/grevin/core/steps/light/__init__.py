"""Light that is set right by hand."""
