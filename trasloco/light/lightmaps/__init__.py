"""Light received by parts that stand still, written down in images: charts, texel density, the bake, its faults, its files.

``wishes`` what is asked · ``charts`` a UV set for it · ``density`` texels per metre · ``placing`` parts into images · ``layout`` these together ·
``texels`` what lies under each texel · ``baking`` light by the proof's renderer · ``stitching`` and ``finishing`` seams, borders, noise · ``faults`` what is wrong and what mends it ·
``encoding`` files as the destination reads them · ``lightmaps`` the whole.
"""
