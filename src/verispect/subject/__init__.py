"""What must be sharp and where it is: marks and the camera's framing."""
