"""What all routers share: the API object, errors, schemas of the core."""
