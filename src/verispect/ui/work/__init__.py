"""Long work off the window's thread."""
