"""Pictures in and out, in open formats."""
