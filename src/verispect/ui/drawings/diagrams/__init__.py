"""Small pictures beside figures: an exposure, a movement, promises kept."""
