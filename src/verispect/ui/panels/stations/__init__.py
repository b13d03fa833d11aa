"""The panels of Shoot, Prove and Keep."""
