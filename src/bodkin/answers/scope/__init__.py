"""What is being looked at: scope, sentence, choices."""
