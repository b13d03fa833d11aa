"""A method worked out again: at another ISO, between the samples of areas, on the marks of the scales."""
