"""Where frames of a grid look when no plan tells it."""
