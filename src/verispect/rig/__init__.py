"""Devices behind one protocol, simulated ones among them."""
