"""Enlarge: more lines and pixels for a modern delivery, learned and held to the source."""
