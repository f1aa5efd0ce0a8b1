"""Drawing tie lines on the light table."""
