"""Taking material in: what was found, what the operator declares, and where the two contradict each other."""
