"""The web interface: one router per step, sign-in, and who may see whom."""
