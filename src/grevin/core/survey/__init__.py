"""The examination of a reel: what is measured for every frame."""
