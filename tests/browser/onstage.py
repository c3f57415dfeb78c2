"""A stage on the bench page (the fixture `bench`), for tests that hold what it draws against numbers."""

from __future__ import annotations

from playwright.sync_api import Page

# The surface that masters' GLSL declares.
DECLARED = """
struct Surface {
  vec3 base_colour; float opacity; vec3 normal; float roughness; float metallic; float occlusion; vec3 emissive;
};
"""
_BEGIN = """async ({ shape, eye, edge, shadows }) => {
  const { Stage } = await import('/stage.js');
  const canvas = document.createElement('canvas');
  canvas.style.cssText = `width: ${edge}px; height: ${edge}px`;
  document.body.append(canvas);
  window.stage?.end();
  window.stage = new Stage(canvas);
  stage.renderer.shadowMap.enabled = shadows;
  stage.resize();
  stage.shape(shape);
  if (eye) stage.eye.view = eye;
}"""


def begin(bench: Page, shape: str = "sphere", eye: str = "", edge: int = 64, shadows: bool = False) -> None:
    """A new stage in the place of the one before, `window.stage`: so many pixels on an edge, seen from `eye` (place and what is
    looked at, six numbers), or from where the shape is usually seen."""
    bench.evaluate(_BEGIN, {"shape": shape, "eye": eye, "edge": edge, "shadows": shadows})
