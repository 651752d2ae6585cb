import { useEffect, useRef, useState } from 'react';

/** The width there is for an element. */
export function useWidth() {
  const ref = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const resized = new ResizeObserver(() => setWidth(element.clientWidth));
    resized.observe(element);
    return () => resized.disconnect();
  }, []);
  return { ref, width };
}
