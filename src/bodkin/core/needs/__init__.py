"""Needs: strands, standards and items."""
