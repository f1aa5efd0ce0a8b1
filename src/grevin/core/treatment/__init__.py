"""Treatments: ordered steps, and the chain of frames that they make."""
