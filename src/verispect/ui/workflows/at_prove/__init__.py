"""What the station Prove does beside checking: retouching, marks by frames, pictures side by side."""
