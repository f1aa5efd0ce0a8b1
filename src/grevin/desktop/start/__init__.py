"""What one sees before a job is open."""
