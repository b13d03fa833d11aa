"""Tests of the kit, a command each."""
