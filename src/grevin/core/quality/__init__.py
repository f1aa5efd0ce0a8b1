"""How good a repair is: damage with known truth, and figures for gain and harm."""
