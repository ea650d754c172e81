"""Taking away what distracts: pixels from elsewhere, light from round about, shading and texture apart."""
