"""The desk of the step Wobble."""
