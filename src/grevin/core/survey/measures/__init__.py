"""What the survey measures on every frame: one small module each, listed in `registry`."""
