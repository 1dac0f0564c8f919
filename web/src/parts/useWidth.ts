/** How wide something is on screen, kept up to date: drawings are drawn to it instead of scaled. */
import { useEffect, useRef, useState } from "react";

export function useWidth(first: number) {
  const place = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(first);
  useEffect(() => {
    if (!place.current) return;
    const watch = new ResizeObserver(([entry]) => setWidth(Math.max(entry.contentRect.width, 200)));
    watch.observe(place.current);
    return () => watch.disconnect();
  }, []);
  return [place, width] as const;
}
