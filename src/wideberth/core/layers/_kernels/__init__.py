"""Compiled loops of the layer engine. Arrays in, arrays out, the interpreter lock released."""
