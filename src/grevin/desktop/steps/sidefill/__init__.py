"""The desk of the step Side fill."""
