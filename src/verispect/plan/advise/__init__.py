"""All methods weighed, one advised, and what would change the advice."""
