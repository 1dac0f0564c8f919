/** A stood-up scan on which three places are touched, to stand it up for sure. */
import { useTheme } from "@mui/material/styles";
import { useLoader, useThree, type ThreeEvent } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { Frame3D } from "./Frame3D";

interface Props {
  file: string;
  label: string;
  points: [number, number, number][];
  onPoint: (point: [number, number, number]) => void;
}

export default function ScanStage(props: Props) {
  const { inks } = useTheme().palette;
  return (
    <Frame3D label={props.label} height={320}>
      <Standing {...props} skin={inks.parts[1]} mark={inks.chosen} />
    </Frame3D>
  );
}

function Standing({ file, points, onPoint, skin, mark }: Props & { skin: string; mark: string }) {
  const loaded = useLoader(GLTFLoader, file);
  const { camera, controls, invalidate } = useThree();
  const root = useMemo(() => loaded.scene.clone(true), [loaded]);
  const { middle, radius } = useMemo(() => {
    const box = new THREE.Box3().setFromObject(root);
    return { middle: box.getCenter(new THREE.Vector3()), radius: box.getSize(new THREE.Vector3()).length() / 2 };
  }, [root]);
  useEffect(() => {
    root.traverse((thing) => {
      if (thing instanceof THREE.Mesh)
        thing.material = new THREE.MeshStandardMaterial({ color: skin, roughness: 0.9, side: THREE.DoubleSide });
    });
    camera.position.set(middle.x - radius * 0.8, middle.y - radius * 3.2, middle.z + radius * 0.7);
    camera.lookAt(middle);
    if (controls) {
      const orbit = controls as unknown as { target: THREE.Vector3; update: () => void };
      orbit.target.copy(middle);
      orbit.update();
    }
    invalidate();
  }, [root, skin, middle, radius, camera, controls, invalidate]);
  const touched = (e: ThreeEvent<MouseEvent>) => {
    if (e.delta > 4) return;
    e.stopPropagation();
    onPoint(e.point.toArray() as [number, number, number]);
  };
  return (
    <>
      <primitive object={root} onClick={touched} />
      {points.map((p, i) => (
        <mesh key={i} position={p}>
          <sphereGeometry args={[radius * 0.02, 12, 10]} />
          <meshBasicMaterial color={mark} />
        </mesh>
      ))}
    </>
  );
}
