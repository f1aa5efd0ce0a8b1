"""Stair-step smoothing: repeated lines made anew, jagged diagonals smoothed along themselves."""
