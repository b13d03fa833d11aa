"""The window: views over the plan, changed only through undoable commands."""
