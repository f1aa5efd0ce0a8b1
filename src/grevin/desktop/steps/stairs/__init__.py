"""The desk of the step Stair-step smoothing."""
