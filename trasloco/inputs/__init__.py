"""What a material input is, in one table that readers, rules, renderer and writers all consult."""
