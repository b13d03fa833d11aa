"""Frames taken in: cards and folders, what lies in them beside frames, how the camera was held, small pictures."""
