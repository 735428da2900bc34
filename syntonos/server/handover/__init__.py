"""What is taken away: LUTs with their read-back."""
