"""Keep: the shelf of kit and the logbook, without a window."""
