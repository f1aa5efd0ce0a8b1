"""The desk of the step Repeated frames."""
