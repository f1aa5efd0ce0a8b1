"""Motion between frames: estimating it, following it, moving pictures along it."""
