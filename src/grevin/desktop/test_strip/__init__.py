"""The test strip: the same area at several values of one setting."""
