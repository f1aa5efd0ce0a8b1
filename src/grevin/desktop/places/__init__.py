"""The places of the window: Bench and Output."""
