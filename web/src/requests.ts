// Requests that fail are told in the page, not in the console.

export function notify(text: string): void {
  const notice = document.querySelector("#notice, #said");
  if (notice) notice.textContent = text;
}

export function watchRequests(): void {
  document.body.addEventListener("htmx:sendError", () =>
    notify("The server does not answer. Start it again; nothing is lost, and this page goes on where it was."),
  );
  document.body.addEventListener("htmx:responseError", (event) => {
    const answer = (event as CustomEvent<{ xhr: XMLHttpRequest }>).detail.xhr;
    const page = new DOMParser().parseFromString(answer.responseText, "text/html");
    notify(page.querySelector("#notice")?.textContent ?? `The server answered ${answer.status}.`);
  });
}
