import { useTheme } from "@mui/material/styles";
import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import * as THREE from "three";

/** A hole, pocket or slot: its mouth, the way out of it, and how wide it is. */
export interface StageMark {
  id: number;
  at: readonly number[];
  axis: readonly number[];
  width: number;
  decided: boolean;
}

const LEAST_RING_MM = 3;

/** A ring round the mouth of a hole, seen through the piece; drawn full where it is decided what the hole is for. */
export function MarkRing({
  mark,
  matrix,
  chosen,
  onChoose,
}: {
  mark: StageMark;
  matrix?: THREE.Matrix4;
  chosen: boolean;
  onChoose: () => void;
}) {
  const { inks } = useTheme().palette;
  const { invalidate } = useThree();
  const place = useMemo(() => {
    const turn = new THREE.Quaternion().setFromUnitVectors(
      new THREE.Vector3(0, 0, 1),
      new THREE.Vector3(...(mark.axis as [number, number, number])).normalize(),
    );
    const own = new THREE.Matrix4().compose(new THREE.Vector3(...(mark.at as [number, number, number])), turn, new THREE.Vector3(1, 1, 1));
    return matrix ? matrix.clone().multiply(own) : own;
  }, [mark, matrix]);
  useEffect(() => invalidate(), [chosen, invalidate, place]);
  const radius = Math.max(mark.width / 2, LEAST_RING_MM / 2);
  const thick = Math.max((chosen ? 0.34 : mark.decided ? 0.26 : 0.18) * radius, 0.5);
  return (
    <group matrixAutoUpdate={false} matrix={place}>
      <mesh
        renderOrder={2}
        onClick={(e) => {
          e.stopPropagation();
          onChoose();
        }}
      >
        <torusGeometry args={[radius + thick, thick, 10, 32]} />
        <meshBasicMaterial
          color={chosen ? inks.chosen : mark.decided ? inks.holds : inks.ink}
          depthTest={false}
          transparent
          opacity={0.92}
        />
      </mesh>
    </group>
  );
}
