"""Exposures, and what the subject looks like in them; nothing here searches."""
