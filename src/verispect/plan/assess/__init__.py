"""What a method costs, how sure it is, and what its settings mean."""
