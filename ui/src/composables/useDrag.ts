/** Follows a pointer from where it went down until it is let go. */
export function follow(event: PointerEvent, move: (e: PointerEvent) => void, end: () => void = () => undefined): void {
  const target = event.currentTarget as HTMLElement | SVGElement;
  target.setPointerCapture(event.pointerId);
  const go = (e: Event): void => move(e as PointerEvent);
  const up = (): void => {
    target.removeEventListener("pointermove", go);
    for (const over of ["pointerup", "pointercancel", "lostpointercapture"]) target.removeEventListener(over, up);
    end();
  };
  target.addEventListener("pointermove", go);
  for (const over of ["pointerup", "pointercancel", "lostpointercapture"]) target.addEventListener(over, up);
}
