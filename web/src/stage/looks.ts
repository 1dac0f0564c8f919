/** How the surface of a part is drawn: coloured by a depth, or lined by its layers. */
import * as THREE from "three";
import type { Inks } from "../theme/theme";

/** Colours a geometry by how deep it has to be sanded: pale where it is not, warm beyond what primer fills. False where that is not known. */
export function byDepth(geometry: THREE.BufferGeometry, deepMm: number, mostMm: number, inks: Inks): boolean {
  const depth = geometry.getAttribute("_depth");
  if (!depth) return false;
  const colours = new Float32Array(depth.count * 3);
  const [none, light, deep] = [inks.parts[0], inks.tight, inks.stops].map((c) => new THREE.Color(c));
  const mixed = new THREE.Color();
  for (let i = 0; i < depth.count; i++) {
    const mm = depth.getX(i);
    if (mm <= deepMm) mixed.copy(none).lerp(light, (0.35 * mm) / deepMm);
    else mixed.copy(light).lerp(deep, Math.min((mm - deepMm) / (mostMm - deepMm), 1));
    mixed.toArray(colours, i * 3);
  }
  geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
  return true;
}

const EVERY = 25;

/** Draws the borders of layers onto a material, by height: every twenty-fifth from afar, all of them where they can be told apart. */
export function withLayers(material: THREE.MeshStandardMaterial, layerMm: number, ink: string): void {
  material.onBeforeCompile = (shader) => {
    shader.uniforms.layerMm = { value: layerMm };
    shader.uniforms.layerInk = { value: new THREE.Color(ink) };
    shader.vertexShader = shader.vertexShader
      .replace("#include <common>", "#include <common>\nvarying float vHeight;")
      .replace("#include <begin_vertex>", "#include <begin_vertex>\nvHeight = position.z;");
    shader.fragmentShader = shader.fragmentShader
      .replace(
        "#include <common>",
        `#include <common>
        varying float vHeight;
        uniform float layerMm;
        uniform vec3 layerInk;
        float lineAt(float pitch) {
          float wide = max(fwidth(vHeight), 1e-6);
          float off = abs(fract(vHeight / pitch - 0.5) - 0.5) * pitch;
          return (1.0 - smoothstep(0.4 * wide, 1.2 * wide, off)) * (1.0 - smoothstep(0.2, 0.45, wide / pitch));
        }`,
      )
      .replace(
        "#include <color_fragment>",
        `#include <color_fragment>
        float border = max(0.75 * lineAt(layerMm * ${EVERY}.0), 0.5 * lineAt(layerMm));
        diffuseColor.rgb = mix(diffuseColor.rgb, layerInk, border);`,
      );
  };
  material.customProgramCacheKey = () => `layers/${layerMm}`;
}
