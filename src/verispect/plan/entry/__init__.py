"""From what a person measures, clicks or sets by hand to marks and settings."""
