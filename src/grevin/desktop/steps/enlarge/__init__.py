"""The desk of the step Enlarge."""
