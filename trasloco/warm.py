"""Compiles every kernel once, so that the first artist does not wait: ``python -m trasloco.warm``."""

import numpy as np

from trasloco.fit.steps import resize, to_depth, turn_green
from trasloco.proof.sample import render_sample
from trasloco.scene.color import delta_e_of_linear
from trasloco.scene.model import DEFAULT_MATERIAL, Scene

if __name__ == "__main__":
    picture = render_sample(Scene("warm", materials={DEFAULT_MATERIAL.id: DEFAULT_MATERIAL}), DEFAULT_MATERIAL.id, 16, 2)
    delta_e_of_linear(picture.even, picture.odd)
    codes = np.zeros((8, 8, 3), np.uint8)
    to_depth(resize(turn_green(codes), 4, 4, "srgb"), 8)
    print("kernels ready")
