"""One material, and one image an input, for each part: what its slots wear drawn over one new UV set.

First every material is brought to the destination's terms by itself (:mod:`between`), then what the slots of
a mesh wear is drawn into images of its own (:mod:`drawing`), as :mod:`planned` says beforehand.
"""
