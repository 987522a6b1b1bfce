"""Results by what they read: each verb and each picture under a name that is a digest of its inputs and of
the code it is made by.
"""
