"""Map families: which image is which input, and which images belong together, told from names and texels."""
