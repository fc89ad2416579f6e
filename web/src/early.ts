// The first script of every page, before anything can be pressed: a press that comes before the other scripts is held
// until they are there, instead of being lost or sent as a plain form.

import { keepTheme } from "./theme";

keepTheme();

/** Presses that wait, one an element, in the order in which they came. */
const held = new Map<Element, () => void>();

function hold(event: Event, element: Element, again: () => void): void {
  event.preventDefault();
  event.stopImmediatePropagation();
  held.set(element, again);
}

function onSubmit(event: Event): void {
  const form = event.target as HTMLFormElement;
  const { submitter } = event as SubmitEvent;
  // The library sends a button's value where the button was clicked.
  const again = () => (submitter ? submitter.click() : form.requestSubmit());
  if (form.hasAttribute("hx-post")) hold(event, form, again);
}

function onClick(event: Event): void {
  const button = event.target instanceof Element ? event.target.closest<HTMLElement>("button, [hx-get]") : null;
  if (!button) return;
  // A button that sends its form is held as the form.
  const sends = button instanceof HTMLButtonElement && button.form !== null && button.type === "submit";
  if (!sends || button.hasAttribute("hx-post")) hold(event, button, () => button.click());
}

document.addEventListener("submit", onSubmit, true);
document.addEventListener("click", onClick, true);
// The other scripts have run when this is told; a turn later they have listened to the page.
document.addEventListener("DOMContentLoaded", () =>
  setTimeout(() => {
    document.removeEventListener("submit", onSubmit, true);
    document.removeEventListener("click", onClick, true);
    for (const again of held.values()) again();
  }),
);
