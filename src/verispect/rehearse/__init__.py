"""The simulated camera: the exposures of a method become pictures of the plan's scene."""
