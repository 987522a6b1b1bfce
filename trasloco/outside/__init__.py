"""What another program made of a package, told from a picture of it: nothing is connected, nothing is named."""
