"""Pictures and scope counts of clips: composed, keyed, made in a bounded service, streamed."""
