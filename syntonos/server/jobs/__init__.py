"""Work that takes longer than a request should: queued, with progress, to be cancelled."""
