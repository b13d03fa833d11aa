"""Trials of the kit: what a lens resolves, what a step number moves, which frame is sharper."""
