"""Pure optics over NumPy arrays: no files, no window, no state.

Signs and axes stand in docs/conventions.md; derivations in docs/derivations/.
"""
