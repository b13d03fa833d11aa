"""Every number with its reason; the frame table, the order of work, methods compared."""
