"""How the light changes from frame to frame, measured on what both frames show."""
