"""The desk of the step Dirt."""
