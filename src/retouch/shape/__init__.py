"""Shapes: where the content of every place comes from once something was pushed, swollen or turned."""
