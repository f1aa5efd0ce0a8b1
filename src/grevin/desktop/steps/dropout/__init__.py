"""What the step Dropout concealment adds to the window."""
