"""Port Ellery: an invented harbour town, drawn by our own code, damaged with the truth kept."""
