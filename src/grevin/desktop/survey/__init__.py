"""Parts of the Survey place: chart, findings, shots, marks, condition."""
