"""What Follow-up keeps: sessions and weekly results, practice goals, meetings and decisions."""
