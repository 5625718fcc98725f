"""One frame's pixels: what is visible, color key, scale, palette, outline, trim, pivot, shape."""
