"""Colour: the working space, OKLab and ICC profiles."""
