"""One all-sharp picture of a focus series."""
