"""The gauge: props of our own, delivered into a program to find its conventions, and what the pictures that
come back say of it.
"""
