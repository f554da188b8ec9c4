"""Measures that are made from others: common tests from their items, strands as tests of their own."""
