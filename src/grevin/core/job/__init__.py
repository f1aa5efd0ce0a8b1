"""The job: what a person works on, and the file that keeps it."""
