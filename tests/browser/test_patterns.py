"""Patterns that are drawn into images, against the shading code of the MaterialX library itself, run by the
browser's graphics.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest import TestCase

import MaterialX
import numpy as np
from playwright.sync_api import Page, sync_playwright

from tests.chromium import launched
from trasloco.formats.graph_nodes import ARITHMETIC
from trasloco.formats.graph_patterns import PATTERNS

CODE = Path(MaterialX.__file__).parent / "libraries" / "stdlib" / "genglsl" / "lib"
SIDE = 64
DRAW = """
([code, body, side]) => {
  const canvas = document.createElement("canvas"); canvas.width = canvas.height = side;
  const gl = canvas.getContext("webgl2");
  gl.getExtension("EXT_color_buffer_float");
  const compiled = (kind, text) => {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, "#version 300 es\\nprecision highp float; precision highp int;\\n" + text);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
    return shader;
  };
  const program = gl.createProgram();
  gl.attachShader(program, compiled(gl.VERTEX_SHADER,
    "void main() { vec2 p = vec2(float((gl_VertexID & 1) << 2), float((gl_VertexID & 2) << 1)); gl_Position = vec4(p - 1.0, 0.0, 1.0); }"));
  gl.attachShader(program, compiled(gl.FRAGMENT_SHADER,
    code + "\\nout vec4 told; void main() { vec2 p = (gl_FragCoord.xy / " + side + ".0) * 9.0 - 4.3; vec3 q = vec3(p, 0.37); " + body + " }"));
  gl.linkProgram(program); gl.useProgram(program);
  const texture = gl.createTexture(); gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, side, side, 0, gl.RGBA, gl.FLOAT, null);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, texture, 0);
  gl.viewport(0, 0, side, side); gl.drawArrays(gl.TRIANGLES, 0, 3);
  const out = new Float32Array(side * side * 4);
  gl.readPixels(0, 0, side, side, gl.RGBA, gl.FLOAT, out);
  return Array.from(out);
}
"""
ONE, TWO = np.ones(1, np.float32), np.array([2.0], np.float32)
LAYERS = {
    "octaves": np.array([4.0]),
    "lacunarity": np.array([2.1], np.float32),
    "diminish": np.array([0.5], np.float32),
}
NOISE = {"amplitude": ONE, "pivot": np.zeros(1, np.float32)}
CASES: list[tuple[str, dict[str, Any], int, bool, str]] = [
    ("noise2d", NOISE, 1, False, "told = vec4(mx_perlin_noise_float(p));"),
    ("noise2d", NOISE, 3, False, "told = vec4(mx_perlin_noise_vec3(p), 0.0);"),
    ("noise3d", NOISE, 1, True, "told = vec4(mx_perlin_noise_float(q));"),
    ("noise3d", NOISE, 3, True, "told = vec4(mx_perlin_noise_vec3(q), 0.0);"),
    (
        "fractal2d",
        {"amplitude": ONE, **LAYERS},
        1,
        False,
        "told = vec4(mx_fractal2d_noise_float(p, 4, 2.1, 0.5));",
    ),
    ("fractal2d", {"amplitude": ONE, **LAYERS}, 4, False, "told = mx_fractal2d_noise_vec4(p, 4, 2.1, 0.5);"),
    (
        "fractal3d",
        {"amplitude": ONE, **LAYERS},
        2,
        True,
        "told = vec4(mx_fractal3d_noise_vec2(q, 4, 2.1, 0.5), 0.0, 0.0);",
    ),
    ("cellnoise2d", {}, 1, False, "told = vec4(mx_cell_noise_float(p));"),
    ("cellnoise3d", {}, 1, True, "told = vec4(mx_cell_noise_float(q));"),
    ("worleynoise2d", {"jitter": ONE}, 1, False, "told = vec4(mx_worley_noise_float(p, 1.0, 0, 0));"),
    ("worleynoise2d", {"jitter": ONE}, 3, False, "told = vec4(mx_worley_noise_vec3(p, 1.0, 0, 0), 0.0);"),
    (
        "worleynoise2d",
        {"jitter": ONE, "style": ONE},
        3,
        False,
        "told = vec4(mx_worley_noise_vec3(p, 1.0, 1, 0), 0.0);",
    ),
    (
        "worleynoise3d",
        {"jitter": ONE * 0.5},
        2,
        True,
        "told = vec4(mx_worley_noise_vec2(q, 0.5, 0, 0), 0.0, 0.0);",
    ),
]


@contextmanager
def chromium() -> Iterator[Page]:
    """An empty page in a browser that draws in software."""
    with sync_playwright() as play:
        browser = launched(play)
        yield browser.new_page()
        browser.close()


def places(wide: bool) -> np.ndarray:
    """Where each pixel looks, rows from below as they are read back."""
    along = ((np.arange(SIDE) + 0.5) / SIDE * 9.0 - 4.3).astype(np.float32)
    x, y = np.meshgrid(along, along)
    return np.stack([x, y, np.full_like(x, 0.37)] if wide else [x, y], axis=-1)


class Patterns(TestCase):
    def test_every_number_is_the_librarys(self) -> None:
        code = (CODE / "mx_noise.glsl").read_text()
        with chromium() as page:
            for category, given, width, wide, body in CASES:
                drawn = np.array(page.evaluate(DRAW, [code, body, SIDE]), np.float32).reshape(SIDE, SIDE, 4)
                held = {**given, ("position" if wide else "texcoord"): places(wide)}
                found = PATTERNS[category](held, width)
                off = np.abs(found - drawn[..., :width])
                with self.subTest(category, width=width):
                    # A place on the border of a cell may fall to either side in other arithmetic.
                    self.assertLess(float(np.quantile(off, 0.998)), 1e-4)
                    self.assertGreater(float(np.ptp(found)), 0.3)

    def test_hue_saturation_and_value(self) -> None:
        code = (CODE / "mx_hsv.glsl").read_text()
        with chromium() as page:
            for name, category in (("mx_rgbtohsv", "rgbtohsv"), ("mx_hsvtorgb", "hsvtorgb")):
                body = f"told = vec4({name}(vec3((p + 4.3) / 9.0, 0.6)), 1.0);"
                drawn = np.array(page.evaluate(DRAW, [code, body, SIDE]), np.float32).reshape(SIDE, SIDE, 4)
                at = (places(False) + 4.3) / 9.0
                value = np.concatenate([at, np.full((SIDE, SIDE, 1), 0.6)], axis=-1).astype(np.float32)
                found = ARITHMETIC[category]({"in": value})
                with self.subTest(category):
                    self.assertLess(float(np.quantile(np.abs(found - drawn[..., :3]), 0.998)), 1e-4)
