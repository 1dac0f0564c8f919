/** A piece on its wearer: the skin coloured by the room it has, the piece see-through, what lies inside, the tight ring. */
import { useTheme } from "@mui/material/styles";
import { useLoader, useThree, type ThreeEvent } from "@react-three/fiber";
import { useEffect, useMemo, useRef } from "react";
import * as THREE from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import type { Inks } from "../theme/theme";
import { Frame3D } from "./Frame3D";

export interface FitSceneProps {
  file: string;
  label: string;
  /** Share of the piece that is left to see: 0 hides it, 1 makes it solid. */
  piece: number;
  /** Bays that press, by number from 1. */
  pressing: number[];
  passes: boolean;
  /** Under this much room skin counts as tight. */
  tightMm: number;
  /** Called with a place touched on the piece (mm about its middle), when one is wanted. */
  onPlace?: (point: [number, number, number]) => void;
  /** What dragging does: turn the view, or move or turn the piece in its seat. */
  handling: Handling;
  /** How the piece is turned in its seat already, in degrees about x, y, z. */
  turned: number[];
  /** Called when the piece was dragged and let go. */
  onSeat: (move: SeatMove) => void;
  /** Whether it is a draft: its edges are drawn dashed. */
  pencil?: boolean;
}

export type Handling = "look" | "move" | "turn";

export interface SeatMove {
  /** mm the piece was moved by: to the left, to the back, up. */
  shift_mm: [number, number, number];
  /** How it is turned in its seat now, in degrees about x, y, z. */
  turn_deg: [number, number, number];
}

/** The site turns about x first, then y, then z, each fixed in space. */
const ORDER = "ZYX";
const DEG_PER_PX = 0.25;

const FAR_MM = 39;

export default function FitScene(props: FitSceneProps) {
  const { inks } = useTheme().palette;
  return (
    <Frame3D label={props.label}>
      <Worn {...props} inks={inks} />
    </Frame3D>
  );
}

function Worn({ file, piece, pressing, passes, tightMm, onPlace, handling, turned, onSeat, pencil, inks }: FitSceneProps & { inks: Inks }) {
  const loaded = useLoader(GLTFLoader, file);
  const { camera, controls, invalidate } = useThree();
  const scene = useMemo(() => {
    const root = loaded.scene.clone(true);
    const meshes: Record<string, THREE.Mesh> = {};
    root.traverse((thing) => {
      if (thing instanceof THREE.Mesh) meshes[thing.name || thing.parent?.name || ""] = thing;
    });
    return { root, meshes };
  }, [loaded]);

  useEffect(() => {
    const { meshes } = scene;
    let triangles = 0;
    for (const [name, mesh] of Object.entries(meshes)) {
      triangles += (mesh.geometry.index?.count ?? 0) / 3;
      if (name === "body") mesh.material = skin(mesh.geometry, tightMm, inks);
      else if (name === "piece") {
        mesh.visible = piece > 0.01;
        mesh.material = new THREE.MeshStandardMaterial({
          color: inks.parts[3],
          roughness: 0.9,
          transparent: piece < 0.99,
          opacity: piece,
          depthWrite: piece > 0.6,
          side: THREE.DoubleSide,
          flatShading: true,
        });
        mesh.renderOrder = 2;
        for (const line of mesh.children.filter((c) => c instanceof THREE.LineSegments)) mesh.remove(line);
        if (pencil) mesh.add(dashed(mesh.geometry, inks));
      } else if (name === "ring") {
        mesh.material = new THREE.MeshBasicMaterial({ color: passes ? inks.holds : inks.stops, side: THREE.DoubleSide });
      } else {
        const number = Number(name.replace("bay-", ""));
        mesh.material = new THREE.MeshStandardMaterial({ color: pressing.includes(number) ? inks.stops : inks.holds, roughness: 0.7 });
      }
    }
    const room = meshes.body?.geometry.getAttribute("_room");
    window.__fit = { triangles, bays: Object.keys(meshes).filter((n) => n.startsWith("bay")).length, hasRoom: !!room, ring: !!meshes.ring };
    invalidate();
    return () => {
      window.__fit = undefined;
    };
  }, [scene, piece, pressing, passes, tightMm, pencil, inks, invalidate]);

  useEffect(() => {
    const box = new THREE.Box3().setFromObject(scene.meshes.piece ?? scene.root);
    const middle = box.getCenter(new THREE.Vector3());
    const radius = box.getSize(new THREE.Vector3()).length() / 2;
    camera.position.set(middle.x - radius * 1.7, middle.y - radius * 3.2, middle.z + radius * 1.0);
    camera.lookAt(middle);
    if (controls) {
      const orbit = controls as unknown as { target: THREE.Vector3; update: () => void };
      orbit.target.copy(middle);
      orbit.update();
    }
    invalidate();
  }, [scene, camera, controls, invalidate]);

  const touched = (e: ThreeEvent<MouseEvent>) => {
    if (!onPlace || e.delta > 4) return;
    e.stopPropagation();
    onPlace(e.point.toArray() as [number, number, number]);
  };
  useSeating(scene.meshes.piece, handling, turned, onSeat);
  return <primitive object={scene.root} onClick={touched} />;
}

/** Dragging anywhere on the stage moves or turns the piece, seen from where the eye is; letting go hands it over. */
function useSeating(mesh: THREE.Mesh | undefined, handling: Handling, turned: number[], onSeat: (move: SeatMove) => void) {
  const { gl, camera, controls, invalidate } = useThree();
  const hand = useRef(onSeat);
  useEffect(() => {
    hand.current = onSeat;
  });
  const turnedKey = turned.join();
  useEffect(() => {
    const orbit = controls as unknown as { enabled: boolean } | null;
    if (!mesh || handling === "look") return;
    if (orbit) orbit.enabled = false;
    const canvas = gl.domElement;
    let from: { x: number; y: number } | null = null;
    const right = new THREE.Vector3();
    const up = new THREE.Vector3();
    const before = new THREE.Quaternion().setFromEuler(
      new THREE.Euler(...(turnedKey.split(",").map((v) => THREE.MathUtils.degToRad(Number(v))) as [number, number, number]), ORDER),
    );
    const down = (e: PointerEvent) => {
      from = { x: e.clientX, y: e.clientY };
      canvas.setPointerCapture(e.pointerId);
      camera.matrixWorld.extractBasis(right, up, new THREE.Vector3());
    };
    const move = (e: PointerEvent) => {
      if (!from) return;
      const [dx, dy] = [e.clientX - from.x, e.clientY - from.y];
      if (handling === "move") {
        const eye = camera as THREE.PerspectiveCamera;
        const perPixel = (2 * eye.position.length() * Math.tan(THREE.MathUtils.degToRad(eye.fov / 2))) / canvas.clientHeight;
        mesh.position
          .copy(right)
          .multiplyScalar(dx * perPixel)
          .addScaledVector(up, -dy * perPixel);
      } else {
        const sideways = new THREE.Quaternion().setFromAxisAngle(UP, THREE.MathUtils.degToRad(dx * DEG_PER_PX));
        const level = new THREE.Vector3(right.x, right.y, 0).normalize();
        mesh.quaternion.setFromAxisAngle(level, THREE.MathUtils.degToRad(dy * DEG_PER_PX)).multiply(sideways);
      }
      invalidate();
    };
    const drop = () => {
      if (!from) return;
      from = null;
      const now = new THREE.Euler().setFromQuaternion(mesh.quaternion.clone().multiply(before), ORDER);
      const half = (v: number) => Math.round(2 * THREE.MathUtils.radToDeg(v)) / 2;
      hand.current({ shift_mm: mesh.position.toArray() as [number, number, number], turn_deg: [half(now.x), half(now.y), half(now.z)] });
    };
    canvas.addEventListener("pointerdown", down);
    canvas.addEventListener("pointermove", move);
    canvas.addEventListener("pointerup", drop);
    return () => {
      canvas.removeEventListener("pointerdown", down);
      canvas.removeEventListener("pointermove", move);
      canvas.removeEventListener("pointerup", drop);
      if (orbit) orbit.enabled = true;
    };
  }, [mesh, handling, turnedKey, gl, camera, controls, invalidate]);
}

const UP = new THREE.Vector3(0, 0, 1);

declare global {
  interface Window {
    /** For tests: what the fit's scene shows. */
    __fit?: { triangles: number; bays: number; hasRoom: boolean; ring: boolean };
  }
}

const FOLD_DEG = 45;
const DASH_MM = 5;

/** The edges of a shape, dashed. */
function dashed(geometry: THREE.BufferGeometry, inks: Inks): THREE.LineSegments {
  const lines = new THREE.LineSegments(
    new THREE.EdgesGeometry(geometry, FOLD_DEG),
    new THREE.LineDashedMaterial({ color: inks.chosen, dashSize: DASH_MM, gapSize: 0.7 * DASH_MM }),
  );
  lines.computeLineDistances();
  lines.raycast = () => undefined;
  return lines;
}

/** The skin in the three meanings, plain where nothing is near. */
function skin(geometry: THREE.BufferGeometry, tightMm: number, inks: Inks): THREE.Material {
  const room = geometry.getAttribute("_room");
  if (!room) return new THREE.MeshStandardMaterial({ color: inks.parts[1], roughness: 0.9 });
  const colours = new Float32Array(room.count * 3);
  const [stops, tight, holds, plain] = [inks.stops, inks.tight, inks.holds, inks.parts[1]].map((c) => new THREE.Color(c));
  const mixed = new THREE.Color();
  for (let i = 0; i < room.count; i++) {
    const mm = room.getX(i);
    if (mm >= FAR_MM) mixed.copy(plain);
    else if (mm < 0) mixed.copy(stops);
    else if (mm < tightMm) mixed.copy(tight);
    else mixed.copy(holds).lerp(plain, Math.min((mm - tightMm) / 36, 0.8));
    mixed.toArray(colours, i * 3);
  }
  geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
  geometry.computeVertexNormals();
  return new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.85 });
}
