"""Desks: what single steps add to the window, a folder each; `desk` is the contract, `desks` the list."""
