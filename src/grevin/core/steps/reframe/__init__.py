"""Reframe: another part, size or shape of the picture, still or in a slow move."""
