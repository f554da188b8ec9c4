"""The headless runs: plain files in, the very figures of the screens out."""
