"""People: who they are, and what is theirs to see and to change."""
