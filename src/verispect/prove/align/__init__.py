"""Where frames lie against one another."""
