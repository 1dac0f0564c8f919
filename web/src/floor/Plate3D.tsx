/** A plate in three dimensions: its parts as they lie, with their supports, on the bed. */
import { useTheme } from "@mui/material/styles";
import { useLoader, useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { Frame3D } from "../stage/Frame3D";
import type { Floor, Plate } from "./useFloor";

export default function Plate3D({ plate, bed }: { plate: Plate; bed: Floor["beds"][number] }) {
  return (
    <Frame3D label={`${plate.name} on ${bed.name}`}>
      <Things plate={plate} bed={bed} />
    </Frame3D>
  );
}

function Things({ plate, bed }: { plate: Plate; bed: Floor["beds"][number] }) {
  const { inks } = useTheme().palette;
  const { camera, controls, invalidate } = useThree();
  const hashes = [...new Set(plate.parts.map((p) => p.print_hash))];
  const loaded = useLoader(
    GLTFLoader,
    hashes.map((h) => `/api/stage/print/${h}/`),
  );
  const root = useMemo(() => {
    const group = new THREE.Group();
    plate.parts.forEach((part, i) => {
      const scene = loaded[hashes.indexOf(part.print_hash)].scene;
      for (const [name, colour] of [
        [part.name, inks.parts[i % inks.parts.length]],
        [`${part.name} support`, inks.tight],
      ]) {
        scene.traverse((thing) => {
          if (!(thing instanceof THREE.Mesh) || ![thing.name, thing.parent?.name].includes(THREE.PropertyBinding.sanitizeNodeName(name)))
            return;
          const copy = thing.clone();
          copy.material = new THREE.MeshStandardMaterial({ color: colour, roughness: 0.85, flatShading: true });
          copy.matrixAutoUpdate = false;
          copy.matrix.makeRotationZ((part.turn_deg * Math.PI) / 180).setPosition(part.x_mm, part.y_mm, 0);
          group.add(copy);
        });
      }
    });
    return group;
    // The plate says all of it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [plate, loaded, inks]);
  useEffect(() => {
    const far = 1.35 * Math.max(bed.x_mm, bed.y_mm);
    camera.position.set(-0.55 * far, -1.25 * far, 0.95 * far);
    const orbit = controls as unknown as { target: THREE.Vector3; update: () => void } | null;
    orbit?.target.set(0, 0, 20);
    orbit?.update();
    invalidate();
  }, [camera, controls, invalidate, bed, root]);
  return (
    <group>
      <mesh position={[0, 0, -1]}>
        <boxGeometry args={[bed.x_mm, bed.y_mm, 2]} />
        <meshStandardMaterial color={inks.night} roughness={1} />
      </mesh>
      <primitive object={root} />
    </group>
  );
}
