"""Line scratches."""
