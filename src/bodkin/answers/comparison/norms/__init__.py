"""What results are held against: norms and cuts, expected growth, and the outlook it gives."""
