"""Light by hand."""
