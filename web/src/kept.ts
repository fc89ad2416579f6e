// What people have typed and opened stays when the page around it is drawn again by itself.

type Field = HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement;

const FIELDS = "input:not([type=hidden]):not([type=file]), select, textarea";

/** What a form is for, whatever state it was drawn for. */
function nameOf(form: HTMLFormElement): string {
  const where = (form.getAttribute("hx-post") ?? form.getAttribute("action") ?? "").split("?")[0];
  const step = form.querySelector<HTMLInputElement>("input[name=step]")?.value ?? "";
  return `${where} ${step}`;
}

/** Every field under a key that it has again when the page is drawn again. */
function fields(): Map<string, Field> {
  const out = new Map<string, Field>();
  for (const form of document.querySelectorAll<HTMLFormElement>("#sheet form, #drawer form"))
    // Also those that belong to a form and stand elsewhere.
    for (const [at, field] of [...form.elements].filter((part) => part.matches(FIELDS)).entries())
      out.set(`${nameOf(form)} ${(field as Field).name} ${at}`, field as Field);
  return out;
}

function isChanged(field: Field): boolean {
  if (field instanceof HTMLSelectElement) {
    // Where no option is chosen beforehand it is the first one that stands there.
    const options = [...field.options];
    if (!options.some((o) => o.defaultSelected)) return field.selectedIndex > 0;
    return options.some((o) => o.selected !== o.defaultSelected);
  }
  if (field instanceof HTMLInputElement && ["checkbox", "radio"].includes(field.type))
    return field.checked !== field.defaultChecked;
  return field.value !== field.defaultValue;
}

function opened(): Map<string, HTMLDetailsElement> {
  const out = new Map<string, HTMLDetailsElement>();
  for (const part of document.querySelectorAll<HTMLDetailsElement>("#sheet details, #drawer details"))
    out.set(part.querySelector("summary")?.textContent?.trim() ?? "", part);
  return out;
}

/** Remembers what was typed and opened; gives what puts it back into the page that has come instead. */
export function remember(): () => void {
  const typed = [...fields()].filter(([, field]) => isChanged(field));
  const values = typed.map(([key, f]) => [key, f.value, f instanceof HTMLInputElement && f.checked] as const);
  const open = [...opened()].filter(([, part]) => part.open).map(([key]) => key);
  const active = document.activeElement;
  const focus = typed.find(([, field]) => field === active)?.[0];
  return () => {
    const now = opened();
    for (const key of open) now.get(key)?.setAttribute("open", "");
    const places = fields();
    for (const [key, value, checked] of values) {
      const field = places.get(key);
      if (!field) continue;
      if (field instanceof HTMLInputElement && ["checkbox", "radio"].includes(field.type)) field.checked = checked;
      else field.value = value;
    }
    if (focus) places.get(focus)?.focus();
  };
}
