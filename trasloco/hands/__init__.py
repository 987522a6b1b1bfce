"""Who does the work: pieces that stand each for itself, given to threads, to processes, or to other machines
through one interface. What is found is the same whoever did it.
"""
