"""Dividing a picture by its colours: local lines, mattes, cells, cuts. What areas and faces both stand on."""
