"""Chart readings and matches."""
