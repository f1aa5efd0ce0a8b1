"""How much noise material has at each level, and of which grain, from what moves along between frames."""
