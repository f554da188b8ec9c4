"""What all steps share: pairing, norms and cuts, expectation, summary, suppression, drill-down."""
