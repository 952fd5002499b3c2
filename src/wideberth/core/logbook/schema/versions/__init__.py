"""Each version of the tables, in the order of their numbers."""
