// What people have typed and opened stays when the page around it is drawn again by itself.

type Field = HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement;

const FIELDS = "input:not([type=hidden]):not([type=file]), select, textarea";

/** What a form is for, whatever state it was drawn for. */
function nameOf(form: HTMLFormElement): string {
  const where = (form.getAttribute("hx-post") ?? form.getAttribute("action") ?? "").split("?")[0];
  const step = form.querySelector<HTMLInputElement>("input[name=step]")?.value ?? "";
  return `${where} ${step}`;
}

/** Where what people typed and opened stays. */
const PLACES = ["#sheet", "#drawer", "#arrivals"];
const within = (what: string) => PLACES.map((place) => `${place} ${what}`).join(", ");

/** Every field under a key that it has again when the page is drawn again. */
function fields(): Map<string, Field> {
  const out = new Map<string, Field>();
  for (const form of document.querySelectorAll<HTMLFormElement>(within("form")))
    // Also those that belong to a form and stand elsewhere.
    for (const [at, field] of [...form.elements].filter((part) => part.matches(FIELDS)).entries())
      out.set(`${nameOf(form)} ${(field as Field).name} ${at}`, field as Field);
  return out;
}

const isTick = (field: Field): field is HTMLInputElement =>
  field instanceof HTMLInputElement && ["checkbox", "radio"].includes(field.type);

function isChanged(field: Field): boolean {
  if (field instanceof HTMLSelectElement) {
    // Where no option is chosen beforehand it is the first one that stands there.
    const options = [...field.options];
    if (!options.some((o) => o.defaultSelected)) return field.selectedIndex > 0;
    return options.some((o) => o.selected !== o.defaultSelected);
  }
  if (isTick(field)) return field.checked !== field.defaultChecked;
  return field.value !== field.defaultValue;
}

function opened(): Map<string, HTMLDetailsElement> {
  const out = new Map<string, HTMLDetailsElement>();
  for (const part of document.querySelectorAll<HTMLDetailsElement>(within("details")))
    out.set(part.id || (part.querySelector("summary")?.textContent?.trim() ?? ""), part);
  return out;
}

/** What puts back what people did into the page that has come instead. */
export interface Kept {
  /** Opens what was open. */
  open(): void;
  /** Writes what was typed, and puts the caret where it was. */
  write(): void;
}

/** Remembers what was typed and opened. */
export function remember(): Kept {
  const all = [...fields()];
  const typed = all
    .filter(([, field]) => isChanged(field))
    .map(([key, field]) => [key, field.value, isTick(field) && field.checked] as const);
  const open = [...opened()].filter(([, part]) => part.open).map(([key]) => key);
  const [focus, active] = all.find(([, field]) => field === document.activeElement) ?? [];
  // Fields of numbers have no caret that can be read.
  const caret = active && "selectionStart" in active ? [active.selectionStart, active.selectionEnd] : [null, null];
  return {
    open() {
      const now = opened();
      for (const key of open) now.get(key)?.setAttribute("open", "");
    },
    write() {
      const places = fields();
      for (const [key, value, checked] of typed) {
        const field = places.get(key);
        if (!field) continue;
        if (isTick(field)) field.checked = checked;
        else field.value = value;
      }
      const now = focus ? places.get(focus) : undefined;
      if (!now || now === document.activeElement) return;
      now.focus({ preventScroll: true });
      if (caret[0] !== null && "setSelectionRange" in now) now.setSelectionRange(caret[0], caret[1]);
    },
  };
}
