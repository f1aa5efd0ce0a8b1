"""The desk of the step Frame pick."""
