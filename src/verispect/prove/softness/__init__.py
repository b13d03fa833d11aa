"""How soft things came out, in the planner's units."""
