"""Work off the GUI thread."""
