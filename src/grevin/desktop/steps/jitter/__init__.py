"""The desk of the step Line jitter."""
