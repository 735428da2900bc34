"""Simulation: spectral cameras, lights, charts and a scene, for demo footage and test data."""
