"""Side fill: a narrow picture in a wide frame, its blurred and enlarged self at the sides."""
