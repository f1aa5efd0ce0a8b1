"""Dropouts of tape: streaks on a few lines of one field, found and concealed."""
