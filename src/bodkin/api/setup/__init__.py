"""Routers of the setup pages."""
