/** A seam on the stage: its rim, seen through the piece, and knobs where its fasteners sit that can be drawn along it. */
import { useTheme } from "@mui/material/styles";
import { useThree, type ThreeEvent } from "@react-three/fiber";
import { useEffect, useMemo, useRef } from "react";
import * as THREE from "three";

export interface StageSeam {
  outline: readonly (readonly number[])[];
  knobs: { at: readonly number[]; axis: readonly number[]; movable: boolean }[];
}

type Three = [number, number, number];

interface Props {
  seam: StageSeam;
  chosen: number | null;
  /** While a knob is held: which, and where it would be; the last call of a hold says so. */
  onDrag?: (knob: number, at: Three, done: boolean) => void;
}

const KNOB_MM = 3.2;

export function SeamKnobs({ seam, chosen, onDrag }: Props) {
  const { inks } = useTheme().palette;
  const { controls, invalidate } = useThree();
  const held = useRef<{ knob: number; plane: THREE.Plane } | null>(null);
  const rim = useMemo(() => new Float32Array(seam.outline.flat()), [seam.outline]);
  useEffect(() => invalidate(), [invalidate, seam, chosen]);

  const at = (e: ThreeEvent<PointerEvent>): Three | null => {
    const met = held.current && e.ray.intersectPlane(held.current.plane, new THREE.Vector3());
    return met ? [met.x, met.y, met.z] : null;
  };
  const hold = (knob: number) => (e: ThreeEvent<PointerEvent>) => {
    const { at: place, axis, movable } = seam.knobs[knob];
    if (!movable || !onDrag) return;
    e.stopPropagation();
    (e.target as Element).setPointerCapture(e.pointerId);
    if (controls) (controls as unknown as { enabled: boolean }).enabled = false;
    const normal = new THREE.Vector3(...(axis as Three)).normalize();
    held.current = { knob, plane: new THREE.Plane().setFromNormalAndCoplanarPoint(normal, new THREE.Vector3(...(place as Three))) };
    onDrag(knob, place as Three, false);
  };
  const move = (e: ThreeEvent<PointerEvent>) => {
    const to = at(e);
    if (!held.current || !to) return;
    e.stopPropagation();
    onDrag?.(held.current.knob, to, false);
  };
  const release = (e: ThreeEvent<PointerEvent>) => {
    if (!held.current) return;
    e.stopPropagation();
    const to = at(e);
    const { knob } = held.current;
    held.current = null;
    if (controls) (controls as unknown as { enabled: boolean }).enabled = true;
    if (to) onDrag?.(knob, to, true);
  };
  return (
    <>
      <lineLoop key={rim.length} renderOrder={3}>
        <bufferGeometry>
          <bufferAttribute attach="attributes-position" args={[rim, 3]} />
        </bufferGeometry>
        <lineBasicMaterial color={inks.chosen} depthTest={false} transparent />
      </lineLoop>
      {seam.knobs.map((knob, i) => (
        <mesh key={i} position={knob.at as Three} renderOrder={4} onPointerDown={hold(i)} onPointerMove={move} onPointerUp={release}>
          <sphereGeometry args={[i === chosen ? KNOB_MM * 1.4 : KNOB_MM, 16, 12]} />
          <meshBasicMaterial
            color={knob.movable ? inks.chosen : inks.ink}
            depthTest={false}
            transparent
            opacity={i === chosen ? 1 : 0.85}
          />
        </mesh>
      ))}
    </>
  );
}
