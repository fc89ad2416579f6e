// Dropping files on a project: each is sent as it is, with progress and a way to stop.

/** Files of what was dropped, those of folders too, in the order of their paths. */
async function filesOf(items: DataTransferItemList): Promise<File[]> {
  // Entries must be asked for before anything is waited for: afterwards the list is empty.
  const entries = [...items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  return (await Promise.all(entries.map(filesIn))).flat();
}

async function filesIn(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) return [await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail))];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inner: FileSystemEntry[] = [];
  // A folder is told a hundred entries at a time.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
    if (some.length === 0) break;
    inner.push(...some);
  }
  inner.sort((a, b) => a.name.localeCompare(b.name));
  return (await Promise.all(inner.map(filesIn))).flat();
}

/** The files of a folder that are of a format, and how many are not. */
export function readable(files: File[], endings: string[]): { files: File[]; left: number } {
  const fits = files.filter((file) => endings.some((ending) => file.name.toLowerCase().endsWith(ending)));
  return { files: fits, left: files.length - fits.length };
}

/** The destination that was chosen last. */
const LAST = "destination";

/** Has a form take what is dropped on it. */
export function attachUpload(form: HTMLFormElement): void {
  const project = form.dataset.project ?? "";
  const list = form.querySelector<HTMLUListElement>("#sending")!;
  const input = form.querySelector<HTMLInputElement>("input[type=file]")!;
  const ask = form.querySelector<HTMLFieldSetElement>("#ask")!;
  const waiting: File[] = [];
  // Asked once for what is dropped together; the last answer is the first offered.
  const sendAll = (files: Iterable<File> | null) => {
    waiting.push(...(files ?? []));
    ask.hidden = waiting.length === 0;
    if (ask.hidden) return;
    const asked = form.querySelector("#asked-for")!;
    asked.textContent = waiting.length === 1 ? `“${waiting[0].name}”` : `these ${waiting.length} files`;
    const last = localStorage.getItem(LAST);
    const offered = [...ask.querySelectorAll<HTMLButtonElement>("[data-destination]")];
    for (const button of offered) button.classList.toggle("ink", button.dataset.destination === last);
    (offered.find((b) => b.dataset.destination === last) ?? offered[0])?.focus();
  };
  // Of a folder only what is of a format: nobody chose the rest one by one.
  const sendFolder = (all: File[]) => {
    const { files, left } = readable(all, input.accept.split(","));
    const told = form.querySelector("#left-out")!;
    told.textContent = left > 0 ? `${left} ${left === 1 ? "file" : "files"} of the folder left out: of no format that is read.` : ""; // prettier-ignore
    sendAll(files);
  };
  ask.addEventListener("click", (e) => {
    const button = e.target instanceof Element ? e.target.closest<HTMLButtonElement>("button") : null;
    if (!button) return;
    ask.hidden = true;
    const files = waiting.splice(0);
    const destination = button.dataset.destination;
    if (!destination) return;
    localStorage.setItem(LAST, destination);
    for (const file of files) send(project, destination, file, list);
  });
  input.addEventListener("change", () => {
    sendAll(input.files);
    input.value = "";
  });
  for (const kind of ["dragenter", "dragover"])
    form.addEventListener(kind, (e) => {
      e.preventDefault();
      form.classList.add("over");
    });
  for (const kind of ["dragleave", "drop"]) form.addEventListener(kind, () => form.classList.remove("over"));
  form.addEventListener("drop", (e) => {
    e.preventDefault();
    const items = e.dataTransfer?.items;
    const hasFolder = [...(items ?? [])].some((item) => item.webkitGetAsEntry()?.isDirectory);
    if (!items || !hasFolder) return sendAll(e.dataTransfer?.files ?? null);
    void filesOf(items).then(sendFolder);
  });
  const folder = form.querySelector<HTMLInputElement>("#folder")!;
  folder.addEventListener("change", () => {
    sendFolder([...(folder.files ?? [])]);
    folder.value = "";
  });
  // Files that were chosen before this came are not lost.
  sendAll(input.files);
  input.value = "";
  form.dataset.ready = "";
}

/** What of a file that holds several was not taken, or not as it is there. */
function leftOut(answer: string): string {
  const { left = [], notes = [] } = JSON.parse(answer) as { left?: string[]; notes?: string[] };
  const files = left.length > 0 ? [`Left out, of no format that is read: ${left.join(", ")}.`] : [];
  return [...files, ...notes].join(" ");
}

function send(project: string, destination: string, file: File, list: HTMLUListElement): void {
  const line = document.createElement("li");
  line.className = "job";
  const [name, meter, phrase, stop] = ["b", "span", "span", "button"].map((tag) => document.createElement(tag));
  name.textContent = file.name;
  meter.className = "meter";
  const fill = meter.appendChild(document.createElement("i"));
  phrase.textContent = "sending";
  stop.textContent = "Cancel";
  stop.setAttribute("type", "button");
  line.append(name, meter, phrase, stop);
  list.append(line);

  const request = new XMLHttpRequest();
  const fail = (reason: string) => {
    line.classList.add("failed");
    phrase.textContent = reason;
    meter.remove();
    stop.textContent = "Dismiss";
  };
  stop.addEventListener("click", () => {
    request.abort();
    line.remove();
  });
  request.upload.addEventListener("progress", (e) => (fill.style.width = `${(100 * e.loaded) / e.total}%`));
  request.addEventListener("load", () => {
    if (request.status === 202) {
      const told = leftOut(request.responseText);
      if (told === "") line.remove();
      else {
        phrase.textContent = told;
        meter.remove();
        stop.textContent = "Dismiss";
      }
      document.body.dispatchEvent(new Event("arrived"));
    } else {
      const page = new DOMParser().parseFromString(request.responseText, "text/html");
      fail(page.querySelector("#notice")?.textContent ?? `The server answered ${request.status}.`);
    }
  });
  request.addEventListener("error", () => fail("The connection broke off. Send the file again."));
  request.open("PUT", `/projects/${project}/files?name=${encodeURIComponent(file.name)}&destination=${destination}`);
  request.send(file);
}

const drop = document.querySelector<HTMLFormElement>("#drop");
if (drop) attachUpload(drop);
