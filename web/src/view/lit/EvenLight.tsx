import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import { PMREMGenerator } from "three";
import { RoomEnvironment } from "three/examples/jsm/environments/RoomEnvironment.js";

/** An even light of no place, where nothing of the scene's own lights it. */
export function EvenLight() {
  const { gl, scene, invalidate } = useThree();
  useEffect(() => {
    const maker = new PMREMGenerator(gl);
    const room = maker.fromScene(new RoomEnvironment(), 0.04);
    scene.environment = room.texture;
    scene.environmentIntensity = 0.55;
    invalidate();
    return () => {
      scene.environment = null;
      room.dispose();
      maker.dispose();
    };
  }, [gl, scene, invalidate]);
  return null;
}
