"""Everything that shows. Nothing in here computes an area, a force or a price."""
