/** The paper, the light and the eye of everything shown in three dimensions. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { OrbitControls } from "@react-three/drei";
import { Canvas } from "@react-three/fiber";
import { Suspense, type ReactNode } from "react";

interface Props {
  label: string;
  /** Height in px; fills its place when not given. */
  height?: number;
  children: ReactNode;
}

export function Frame3D({ label, height, children }: Props) {
  const { inks } = useTheme().palette;
  return (
    <Box sx={height ? { height, position: "relative" } : { position: "absolute", inset: 0 }} role="img" aria-label={label}>
      <Canvas frameloop="demand" dpr={[1, 1.5]} camera={{ fov: 32, near: 1, far: 20000, up: [0, 0, 1], position: [-400, -800, 380] }}>
        <color attach="background" args={[inks.paper]} />
        <hemisphereLight args={["#ffffff", "#8a7f6a", 1.5]} />
        <directionalLight position={[-600, -900, 1200]} intensity={1.7} />
        <directionalLight position={[900, 400, 300]} intensity={0.5} />
        <Suspense fallback={null}>{children}</Suspense>
        <OrbitControls makeDefault enableDamping={false} />
      </Canvas>
    </Box>
  );
}
