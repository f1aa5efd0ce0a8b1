"""Residue of codecs."""
