import { useLayoutEffect, useState, type RefObject } from "react";

/** How wide the columns may be beside the margin, and how wide that is. */
export function useRoom(scroller: RefObject<HTMLElement | null>): { readonly room: number; readonly margin: number } {
  const [size, setSize] = useState({ room: 900, margin: 288 });
  useLayoutEffect(() => {
    const element = scroller.current;
    if (!element) return undefined;
    const look = (): void => {
      const margin = Number.parseFloat(getComputedStyle(element).getPropertyValue("--margin")) || 288;
      const room = element.clientWidth - margin;
      setSize((before) => (before.room === room && before.margin === margin ? before : { room, margin }));
    };
    look();
    const observer = new ResizeObserver(look);
    observer.observe(element);
    return () => observer.disconnect();
  }, [scroller]);
  return size;
}
