"""What steps compute: pure functions on (H, W) or (H, W, C) arrays, each with the source of its formula."""
