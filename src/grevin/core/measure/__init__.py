"""Measures of frames and runs of frames, one module each."""
