"""Standing spots."""
