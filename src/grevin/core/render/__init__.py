"""Writing outputs from a chain, and proving what was written."""
