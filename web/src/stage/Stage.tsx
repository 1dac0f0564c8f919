/** The stage: a piece or its parts in three dimensions, with the planes that cut it. One component for all stations. */
import { useTheme } from "@mui/material/styles";
import { useLoader, useThree, type ThreeEvent } from "@react-three/fiber";
import { useEffect, useMemo, useRef } from "react";
import * as THREE from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { Frame3D } from "./Frame3D";
import { byDepth, withLayers } from "./looks";
import { MarkRing, type StageMark } from "./MarkRing";
import { PlaneHandle, type StagePlane } from "./PlaneHandle";
import { SeamKnobs, type StageSeam } from "./SeamKnobs";

export interface StageProps {
  /** Address of a GLB. */
  file: string;
  label: string;
  /** Rotation (and mirroring) of the model before it is shown, column-major 4×4. */
  matrix?: THREE.Matrix4;
  /** How far parts are pulled apart, 0..1. */
  explode?: number;
  /** Where each part's middle is, by name; parts move away from the middle of all. */
  centres?: Record<string, readonly number[]>;
  chosenPart?: string | null;
  planes?: StagePlane[];
  chosenPlane?: string | null;
  onChoosePlane?: (id: string) => void;
  onPlane?: (plane: StagePlane) => void;
  /** Names of the parts that are shown; all where none is given. */
  only?: readonly string[];
  /** Called with the outward normal of a face that is touched, where, and of which part, while one is asked for. */
  onFace?: (normal: [number, number, number], at: [number, number, number], part: string) => void;
  /** Colours by part name; the others take turns through the theme's. */
  colours?: Record<string, string>;
  /** Whether faces are coloured by how deep they have to be sanded, where the file knows. */
  sanding?: { deepMm: number; mostMm: number };
  /** How high the layers are, where their borders are to be drawn. */
  layerMm?: number;
  /** A part that is shown pale, what lies in it and behind it shining through. */
  seeThrough?: string;
  /** A part that is shown in a colour of its own. */
  tinted?: string;
  /** Places on the model, in its file's coordinates. */
  marks?: StageMark[];
  chosenMark?: number | null;
  onChooseMark?: (mark: number) => void;
  /** A seam and what holds it. */
  seam?: StageSeam;
  chosenKnob?: number | null;
  onKnob?: (knob: number, at: [number, number, number], done: boolean) => void;
}

declare global {
  interface Window {
    /** For tests: what the stage shows at the moment. */
    __stage?: {
      file: string;
      triangles: number;
      parts: number;
      planes: number;
      marks: number;
      /** Parts that are coloured by depth, and that show their layers. */
      coloured: number;
      lined: number;
      handle: (id: string) => [number, number] | null;
      /** Where a knob of the seam that is shown lies in the picture. */
      knob: (index: number) => [number, number] | null;
    };
  }
}

export default function Stage(props: StageProps) {
  return (
    <Frame3D label={props.label}>
      <Model {...props} />
    </Frame3D>
  );
}

function Model(props: StageProps) {
  const { file, matrix, explode = 0, centres, chosenPart, planes = [], chosenPlane, onChoosePlane, onPlane } = props;
  const { seam, chosenKnob = null, onKnob } = props;
  const { marks = NO_MARKS, chosenMark, onChooseMark, only, seeThrough, tinted, sanding, layerMm, onFace, colours } = props;
  const [deepMm, mostMm] = [sanding?.deepMm, sanding?.mostMm];
  const shown = only?.join("\n");
  const { inks } = useTheme().palette;
  const loaded = useLoader(GLTFLoader, file);
  const { camera, controls, invalidate, size } = useThree();
  const seen = useRef("");

  const model = useMemo(() => {
    const root = new THREE.Group();
    const copy = loaded.scene.clone(true);
    root.add(copy);
    let triangles = 0;
    const parts: THREE.Mesh[] = [];
    copy.traverse((thing) => {
      if (thing instanceof THREE.Mesh) {
        triangles += (thing.geometry.index?.count ?? thing.geometry.attributes.position.count) / 3;
        parts.push(thing);
      }
    });
    return { root, copy, triangles, parts };
  }, [loaded]);

  const box = useMemo(() => {
    if (matrix) {
      model.copy.matrixAutoUpdate = false;
      model.copy.matrix.copy(matrix);
    }
    model.parts.forEach((p) => p.position.set(0, 0, 0));
    model.root.updateMatrixWorld(true);
    if (shown === undefined) return new THREE.Box3().setFromObject(model.root);
    // What is not shown counts for nothing, not even for where the eye stands.
    const names = shown.split("\n");
    const all = new THREE.Box3();
    for (const part of model.parts) {
      part.visible = names.includes(nameOf(part));
      if (part.visible) all.expandByObject(part);
    }
    return all;
  }, [model, matrix, shown]);

  const middle = useMemo(() => box.getCenter(new THREE.Vector3()), [box]);
  const radius = useMemo(() => box.getSize(new THREE.Vector3()).length() / 2 || 100, [box]);

  useEffect(() => {
    model.parts.forEach((part, i) => {
      const name = nameOf(part);
      const chosen = !!chosenPart && name === chosenPart;
      const pale = name === seeThrough;
      const coloured = deepMm !== undefined && mostMm !== undefined && byDepth(part.geometry, deepMm, mostMm, inks);
      const material = new THREE.MeshStandardMaterial({
        vertexColors: coloured,
        color: coloured
          ? "#ffffff"
          : chosen
            ? inks.chosen
            : name === tinted
              ? inks.tight
              : (colours?.[name] ?? inks.parts[i % inks.parts.length]),
        transparent: pale,
        opacity: pale ? 0.5 : 1,
        depthWrite: !pale,
        roughness: 0.85,
        metalness: 0,
        flatShading: true,
        side: matrix && matrix.determinant() < 0 ? THREE.BackSide : THREE.FrontSide,
      });
      const lined = layerMm !== undefined && name !== tinted;
      if (lined) withLayers(material, layerMm, inks.ink);
      part.material = material;
      part.userData = { coloured, lined };
      const centre = centres?.[name];
      if (centre) {
        const from = matrix ? middle.clone().applyMatrix4(matrix.clone().invert()) : middle;
        const away = new THREE.Vector3(...(centre as [number, number, number])).sub(from).multiplyScalar(0.9 * explode);
        part.position.copy(away);
      }
    });
    invalidate();
  }, [model, explode, centres, chosenPart, inks, invalidate, matrix, middle, seeThrough, tinted, deepMm, mostMm, layerMm, colours]);

  useEffect(() => {
    // A new model moves the eye; a change of the same one does not.
    const key = `${Math.round(radius / 20)}/${planes.length > 0}/${shown ?? ""}`;
    if (seen.current === key) return;
    seen.current = key;
    const wide = Math.min(size.width / size.height, 1);
    const far = (radius * 3.05) / wide;
    camera.position.set(middle.x - far * 0.5, middle.y - far * 0.98, middle.z + far * 0.42);
    camera.lookAt(middle);
    if (controls) {
      const orbit = controls as unknown as { target: THREE.Vector3; update: () => void };
      orbit.target.copy(middle);
      orbit.update();
    }
    invalidate();
  }, [camera, controls, invalidate, middle, planes.length, radius, shown, size]);

  useEffect(() => {
    const inPicture = (point: THREE.Vector3): [number, number] => {
      const at = point.project(camera);
      return [((at.x + 1) / 2) * size.width, ((1 - at.y) / 2) * size.height];
    };
    window.__stage = {
      file,
      triangles: model.triangles,
      parts: model.parts.length,
      planes: planes.length,
      marks: marks.length,
      get coloured() {
        return model.parts.filter((p) => p.visible && p.userData.coloured).length;
      },
      get lined() {
        return model.parts.filter((p) => p.visible && p.userData.lined).length;
      },
      handle: (id) => {
        const plane = planes.find((p) => p.id === id);
        return plane ? inPicture(onPlaneOf(plane, middle)) : null;
      },
      knob: (index) => {
        const knob = seam?.knobs[index];
        return knob ? inPicture(new THREE.Vector3(...(knob.at as [number, number, number]))) : null;
      },
    };
    return () => {
      window.__stage = undefined;
    };
  }, [camera, file, marks.length, middle, model, planes, seam, size]);

  return (
    <>
      <primitive
        object={model.root}
        onClick={(e: ThreeEvent<MouseEvent>) => {
          if (!onFace || !e.face || nameOf(e.object) === tinted) return;
          e.stopPropagation();
          const n = e.face.normal.clone().transformDirection(e.object.matrixWorld);
          onFace([n.x, n.y, n.z], [e.point.x, e.point.y, e.point.z], nameOf(e.object));
        }}
      />
      {marks.map((mark) => (
        <MarkRing key={mark.id} mark={mark} matrix={matrix} chosen={mark.id === chosenMark} onChoose={() => onChooseMark?.(mark.id)} />
      ))}
      {seam && <SeamKnobs seam={seam} chosen={chosenKnob} onDrag={onKnob} />}
      {planes.map((plane) => (
        <PlaneHandle
          key={plane.id}
          plane={plane}
          centre={onPlaneOf(plane, middle)}
          reach={radius * 0.72}
          chosen={plane.id === chosenPlane}
          onChoose={() => onChoosePlane?.(plane.id)}
          onMoved={(moved) => onPlane?.(moved)}
        />
      ))}
    </>
  );
}

/** What a part is called in its file; the loader writes blanks as lines. */
const nameOf = (part: THREE.Object3D) => (part.name || part.parent?.name || "").replace(/_/g, " ");

const NO_MARKS: StageMark[] = [];
/** The point of a plane nearest to the middle of the piece: where its handle sits. */
function onPlaneOf(plane: StagePlane, middle: THREE.Vector3): THREE.Vector3 {
  const normal = new THREE.Vector3(...plane.normal);
  const off = normal.dot(new THREE.Vector3(...plane.point).sub(middle));
  return middle.clone().addScaledVector(normal, off);
}
