"""Scopes: waveforms, vectorscope, histogram, live."""
