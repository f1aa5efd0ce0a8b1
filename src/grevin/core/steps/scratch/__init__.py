"""Line scratches: found as paths that stay while the picture moves, and mended with what is left under them."""
