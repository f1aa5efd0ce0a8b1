"""The neighbour strip: the frames around the current one, in the same crop and zoom."""
