"""Prove: frames read, checked against the plan, merged and joined, without a window."""
