"""Dialogs: the page of keys."""
