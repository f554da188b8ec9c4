"""One student: the card with corrections, the whole page, notes."""
