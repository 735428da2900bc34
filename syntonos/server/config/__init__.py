"""Settings and the ASGI entry."""
