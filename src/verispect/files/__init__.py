"""Reading and writing: plans, weighings, tables. Used by the window and the command line only."""
