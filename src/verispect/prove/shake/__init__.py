"""What moved while the shutter was open: a whole frame, or a thing in it."""
