"""What an import would change, and the ledger that can take it back."""
