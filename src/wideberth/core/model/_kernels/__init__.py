"""Compiled loops over triangles. Arrays in, arrays out, the interpreter lock released."""
