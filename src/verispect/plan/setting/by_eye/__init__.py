"""What is found by eye at the camera: a tilt on the ground glass, a focus and a stop at full magnification."""
