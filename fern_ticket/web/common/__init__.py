"""What the routes share: who is asking, which photo, saving, pinning, and what every request passes."""
