"""The Needs step: strands, standards, items, entries and material."""
