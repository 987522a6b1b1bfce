"""The packing list as a text that a person reads, changes in any editor and hands back."""
