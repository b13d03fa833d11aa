"""The window that arranges stations, drawings and strip."""
