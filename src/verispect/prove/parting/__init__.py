"""Which of the frames that came together belong together."""
