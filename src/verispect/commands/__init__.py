"""The commands without a window, a module each; every one gives an exit code."""
