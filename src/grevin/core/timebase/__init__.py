"""Rates and timecode."""
