"""Shoot: the light, the checks before the first frame, the run and its sheet, without a window."""
