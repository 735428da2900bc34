"""Productions, cameras and lights; the Board."""
