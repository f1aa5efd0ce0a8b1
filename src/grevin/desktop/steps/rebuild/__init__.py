"""The desk of the step Frame rebuild."""
