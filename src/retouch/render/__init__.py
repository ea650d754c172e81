"""From a picture and a sheet to pixels: views, rectangles of views, and exports."""
