// Dragging in the view, heard of before the camera does: what a tool takes does not turn the view.

/** Pixels of the view's canvas. */
export type Dot = [number, number];

export interface Drag {
  /** Whether a press at a place is the beginning of a drag. */
  begins(at: Dot, event: PointerEvent): boolean;
  /** The pointer moved while dragging. */
  moves(at: Dot, event: PointerEvent): void;
  /** Let go; without an event, called off. */
  ends(event: PointerEvent | null): void;
}

/** Listens for drags with the first button, also on what lies over the canvas. */
export function listen(frame: HTMLElement, canvas: HTMLElement, drag: Drag): void {
  let dragging = false;
  const at = (e: PointerEvent): Dot => {
    const box = canvas.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top];
  };
  const end = (event: PointerEvent | null) => {
    if (!dragging) return;
    dragging = false;
    drag.ends(event);
  };
  frame.addEventListener(
    "pointerdown",
    (e) => {
      if (e.button !== 0 || !drag.begins(at(e), e)) return;
      dragging = true;
      e.stopPropagation();
      frame.setPointerCapture(e.pointerId);
    },
    true,
  );
  frame.addEventListener("pointermove", (e) => dragging && drag.moves(at(e), e));
  frame.addEventListener("pointerup", end);
  frame.addEventListener("pointercancel", () => end(null));
}
