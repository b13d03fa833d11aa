"""The subject as arrays: marks, and surfaces and scans as points."""
