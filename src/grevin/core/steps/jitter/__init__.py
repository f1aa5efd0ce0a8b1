"""Line jitter: lines that a trembling time base displaced, put straight."""
