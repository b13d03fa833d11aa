"""What a person says of a check, step by step: which frames belong together, where marks are seen."""
