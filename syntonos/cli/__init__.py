"""The command line: the same core, without the web."""
