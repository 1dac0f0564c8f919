/** A cutting plane that can be taken hold of: the knob in its middle slides it, those on its rim tilt it. */
import { useTheme } from "@mui/material/styles";
import { useThree, type ThreeEvent } from "@react-three/fiber";
import { useMemo, useRef, useState } from "react";
import * as THREE from "three";

export interface StagePlane {
  id: string;
  point: [number, number, number];
  normal: [number, number, number];
}

interface Props {
  plane: StagePlane;
  centre: THREE.Vector3;
  reach: number;
  chosen: boolean;
  onChoose: () => void;
  onMoved: (plane: StagePlane) => void;
}

/** How far along ``direction`` from ``from`` the pointer's ray passes nearest. */
function alongLine(ray: THREE.Ray, from: THREE.Vector3, direction: THREE.Vector3): number {
  const between = from.clone().sub(ray.origin);
  const b = direction.dot(ray.direction);
  const nearly = 1 - b * b;
  if (nearly < 1e-4) return 0;
  return (b * ray.direction.dot(between) - direction.dot(between)) / nearly;
}

type Grip = "slide" | "u" | "v";

export function PlaneHandle({ plane, centre, reach, chosen, onChoose, onMoved }: Props) {
  const { inks } = useTheme().palette;
  const { controls, invalidate } = useThree();
  const [draft, setDraft] = useState<{ offset: number; normal: THREE.Vector3 } | null>(null);
  const grip = useRef<{ kind: Grip; from: THREE.Vector3; start: number } | null>(null);

  const normal = useMemo(() => new THREE.Vector3(...plane.normal).normalize(), [plane.normal]);
  const shownNormal = draft?.normal ?? normal;
  const at = centre.clone().addScaledVector(normal, draft?.offset ?? 0);
  const turn = new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 0, 1), shownNormal);
  const axis = (kind: "u" | "v") =>
    new THREE.Vector3(kind === "u" ? 1 : 0, kind === "v" ? 1 : 0, 0).applyQuaternion(
      new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 0, 1), normal),
    );

  const hold = (kind: Grip) => (e: ThreeEvent<PointerEvent>) => {
    e.stopPropagation();
    onChoose();
    (e.target as Element).setPointerCapture(e.pointerId);
    if (controls) (controls as unknown as { enabled: boolean }).enabled = false;
    const from = kind === "slide" ? centre.clone() : centre.clone().addScaledVector(axis(kind), reach);
    grip.current = { kind, from, start: alongLine(e.ray, from, normal) };
  };
  const move = (e: ThreeEvent<PointerEvent>) => {
    const held = grip.current;
    if (!held) return;
    e.stopPropagation();
    const moved = alongLine(e.ray, held.from, normal) - held.start;
    if (held.kind === "slide") setDraft({ offset: moved, normal });
    else {
      const lean = Math.atan2(THREE.MathUtils.clamp(moved, -reach, reach), reach);
      const tilted = normal.clone().multiplyScalar(Math.cos(lean)).addScaledVector(axis(held.kind), -Math.sin(lean));
      setDraft({ offset: 0, normal: tilted.normalize() });
    }
    invalidate();
  };
  const release = (e: ThreeEvent<PointerEvent>) => {
    if (!grip.current) return;
    e.stopPropagation();
    grip.current = null;
    if (controls) (controls as unknown as { enabled: boolean }).enabled = true;
    if (draft) {
      const to = centre.clone().addScaledVector(normal, draft.offset);
      onMoved({
        id: plane.id,
        point: to.toArray() as [number, number, number],
        normal: draft.normal.toArray() as [number, number, number],
      });
    }
    setDraft(null);
    invalidate();
  };
  const grips = { onPointerMove: move, onPointerUp: release };
  const knob = reach * 0.055;
  const colour = chosen ? inks.chosen : inks.ink;
  return (
    <group position={at} quaternion={turn}>
      <mesh onClick={(e) => (e.stopPropagation(), onChoose())}>
        <planeGeometry args={[2 * reach, 2 * reach]} />
        <meshBasicMaterial color={colour} transparent opacity={chosen ? 0.16 : 0.07} side={THREE.DoubleSide} depthWrite={false} />
      </mesh>
      <lineLoop>
        <bufferGeometry>
          <bufferAttribute
            attach="attributes-position"
            args={[new Float32Array([-reach, -reach, 0, reach, -reach, 0, reach, reach, 0, -reach, reach, 0]), 3]}
          />
        </bufferGeometry>
        <lineBasicMaterial color={colour} />
      </lineLoop>
      <mesh onPointerDown={hold("slide")} {...grips} renderOrder={5}>
        <octahedronGeometry args={[knob * 1.25]} />
        <meshBasicMaterial color={colour} depthTest={false} transparent />
      </mesh>
      {chosen &&
        (["u", "v"] as const).map((kind) => (
          <mesh
            key={kind}
            position={[kind === "u" ? reach : 0, kind === "v" ? reach : 0, 0]}
            onPointerDown={hold(kind)}
            {...grips}
            renderOrder={5}
          >
            <torusGeometry args={[knob, knob * 0.35, 8, 20]} />
            <meshBasicMaterial color={colour} depthTest={false} transparent />
          </mesh>
        ))}
    </group>
  );
}
