"""The light table: where the picture lies."""
