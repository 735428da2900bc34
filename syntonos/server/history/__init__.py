"""The log of changes: who changed what, when and on what base; undo and redo stand on it."""
