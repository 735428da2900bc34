"""The Board and the angle: what is read from every part of a production at once."""
