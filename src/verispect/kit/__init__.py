"""Bodies, lenses and heads, as data that can be asked what they can do."""
