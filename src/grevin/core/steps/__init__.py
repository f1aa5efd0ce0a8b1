"""The repair steps, one module each, and the contract that they share (`base`)."""
