// Drags as tools hear of them, on a frame that only passes events on.
import assert from "node:assert/strict";
import { test } from "node:test";
import { type Dot, listen } from "../src/drag";

/** A frame with the canvas in it, 100 to the right and 50 down, and what the camera beside hears of presses. */
function stage(takes: (at: Dot) => boolean) {
  const frame = Object.assign(new EventTarget(), { setPointerCapture: () => undefined }) as unknown as HTMLElement;
  const canvas = { getBoundingClientRect: () => ({ left: 100, top: 50 }) } as unknown as HTMLElement;
  const told: string[] = [];
  listen(frame, canvas, {
    begins: (at) => takes(at),
    moves: (at) => told.push(`to ${at.join(" ")}`),
    ends: (e) => told.push(e ? "let go" : "called off"),
  });
  const send = (type: string, x: number, y: number, button = 0) => {
    let stopped = false;
    const event = Object.assign(new Event(type), { clientX: x, clientY: y, button, pointerId: 1 });
    event.stopPropagation = () => (stopped = true);
    frame.dispatchEvent(event);
    return stopped;
  };
  return { told, send };
}

test("what a tool takes the camera does not hear of, and moves count from the canvas's corner until it is let go", () => {
  const { told, send } = stage(([x]) => x < 10);
  send("pointermove", 101, 51);
  assert.equal(send("pointerdown", 105, 60), true);
  send("pointermove", 130, 90);
  send("pointerup", 130, 90);
  send("pointermove", 140, 90);
  send("pointerup", 140, 90);
  assert.deepEqual(told, ["to 30 40", "let go"]);
});

test("what no tool takes goes on to the camera, and so do other buttons", () => {
  const { told, send } = stage(([x]) => x < 10);
  assert.equal(send("pointerdown", 150, 60), false);
  assert.equal(send("pointerdown", 105, 60, 2), false);
  send("pointermove", 151, 60);
  send("pointerup", 151, 60);
  assert.deepEqual(told, []);
});

test("a drag that the system calls off is told as that, once", () => {
  const { told, send } = stage(() => true);
  send("pointerdown", 100, 50);
  send("pointercancel", 0, 0);
  send("pointercancel", 0, 0);
  assert.deepEqual(told, ["called off"]);
});
