"""What is open, weighed, chosen and shown, without widgets."""
