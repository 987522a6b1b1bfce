import { CanvasTexture, Sprite, SpriteMaterial, SRGBColorSpace } from "three";

/** A small plate with a text, as high as a share of the picture, wherever it stands. */
export function plateSprite(text: string, height: number): Sprite {
  const canvas = document.createElement("canvas");
  const pen = canvas.getContext("2d")!;
  pen.font = "600 40px 'Spline Sans Mono Variable', monospace";
  canvas.width = Math.ceil(pen.measureText(text).width) + 28;
  canvas.height = 60;
  pen.fillStyle = "#fbfaf8";
  pen.fillRect(0, 0, canvas.width, canvas.height);
  pen.font = "600 40px 'Spline Sans Mono Variable', monospace";
  pen.fillStyle = "#22241f";
  pen.fillText(text, 14, 44);
  const map = new CanvasTexture(canvas);
  map.colorSpace = SRGBColorSpace;
  const sprite = new Sprite(
    new SpriteMaterial({ map, depthTest: false, sizeAttenuation: false, toneMapped: false }),
  );
  sprite.scale.set((height * canvas.width) / canvas.height, height, 1);
  sprite.renderOrder = 10;
  return sprite;
}
