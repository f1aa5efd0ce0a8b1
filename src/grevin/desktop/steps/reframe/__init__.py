"""The desk of the step Reframe."""
