"""The web application: Django models, services and the API over the core."""
