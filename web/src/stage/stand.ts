/** The quarter turns of a piece as a matrix for the stage, in the order the core applies them. */
import * as THREE from "three";
import type { Detail } from "../api/client";

export function standing(piece: Detail): THREE.Matrix4 {
  const r = piece.recipe;
  const quarter = Math.PI / 2;
  const m = new THREE.Matrix4().makeRotationX(quarter * r.turn_x);
  m.premultiply(new THREE.Matrix4().makeRotationY(quarter * r.turn_y));
  m.premultiply(new THREE.Matrix4().makeRotationZ(quarter * r.turn_z));
  if (r.mirrored) m.premultiply(new THREE.Matrix4().makeScale(-1, 1, 1));
  return m;
}
