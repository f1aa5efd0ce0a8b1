"""The desk of the step Stepped gradients."""
