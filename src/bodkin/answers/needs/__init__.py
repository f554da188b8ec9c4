"""Needs: what exactly should be taught, and to whom."""
