"""The field sheet and drawings as files."""
