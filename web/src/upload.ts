// Dropping files on a project: each is sent as it is, with progress and a way to stop.

/** The destination that was chosen last. */
const LAST = "destination";

function attachUpload(form: HTMLFormElement): void {
  const project = form.dataset.project ?? "";
  const list = form.querySelector<HTMLUListElement>("#sending")!;
  const input = form.querySelector<HTMLInputElement>("input[type=file]")!;
  const ask = form.querySelector<HTMLFieldSetElement>("#ask")!;
  const waiting: File[] = [];
  // Asked once for what is dropped together; the last answer is the first offered.
  const sendAll = (files: FileList | null) => {
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
    sendAll(e.dataTransfer?.files ?? null);
  });
  // Files that were chosen before this came are not lost.
  sendAll(input.files);
  input.value = "";
  form.dataset.ready = "";
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
      line.remove();
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
