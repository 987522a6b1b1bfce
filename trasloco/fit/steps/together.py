"""What the slots of a part wear, drawn into images of its own. Planned when every material has come to the
destination's terms; done there too (:mod:`trasloco.fit.together`).
"""

from trasloco.fit.steps.step import Kind

KIND = Kind("together", replaces=True)
