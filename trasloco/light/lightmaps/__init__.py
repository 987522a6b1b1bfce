"""Light received by parts that stand still, written down in images: charts, texel density, the bake, its
faults, its files.

``wishes`` what is asked · ``changing`` how fast light changes · ``charts`` a UV set for it · ``density``
texels per metre · ``placing`` parts into images · ``layout`` these together ·
``texels`` what lies under each texel · ``baking`` light by the proof's renderer · ``points`` the same at
single points · ``probing`` light for what moves · ``smoothing``, ``stitching`` and
``finishing`` noise, seams, borders · ``faults`` what is wrong and what mends it · ``passing`` light that came
along · ``showing`` lenses · ``lightmaps`` the whole.
"""
