"""The headless runs: files in, files out, every fault one line that names its option or its place."""
