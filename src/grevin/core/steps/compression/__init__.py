"""Residue of old codecs."""
