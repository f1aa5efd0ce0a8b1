"""The desk of the step Colour shift."""
