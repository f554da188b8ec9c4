"""The Follow-up step: groups followed, practice, two measures, help given, team meetings, every day."""
