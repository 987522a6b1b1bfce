"""What each page is told, as plain values: the shapes of the API by stop, made of results alone."""
