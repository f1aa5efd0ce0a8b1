"""How the steps of each family act on the frames of a source: one module each."""
