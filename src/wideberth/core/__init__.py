"""Everything that computes. Nothing in here knows about windows, charts or colours."""
