"""The treatment path: the steps as cards, with their settings and the view point."""
