"""Which planned exposure each frame is: by what it tells of itself, or by what it shows."""
