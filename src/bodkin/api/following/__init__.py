"""What Follow-up shares with Student, Share, the rail and Home: groups followed, periods, help, two measures."""
