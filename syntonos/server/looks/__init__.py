"""Balance per light and look per production: what lies over all cameras alike."""
