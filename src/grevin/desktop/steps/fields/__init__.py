"""The desk of the step Fields."""
