"""The desk of the step Flicker."""
