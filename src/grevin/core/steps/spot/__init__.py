"""Standing spots: dust on the sensor or the lens, divided out of the picture."""
