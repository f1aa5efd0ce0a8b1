"""The desk of the step Rolling bands."""
