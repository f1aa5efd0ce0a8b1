"""The desk of the step Edges."""
