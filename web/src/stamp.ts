// Parts of a page that change by themselves: each names an address that answers in a few bytes whether it has changed, and
// is fetched again only then, in this tab and in every other.

/** Milliseconds between questions while something is under way, and while nothing is. */
const BUSY = 400;
const IDLE = 3000;

async function ask(): Promise<void> {
  const part = document.querySelector<HTMLElement>("[data-watch]");
  if (!part) return;
  if (!document.hidden && !part.matches(".htmx-request")) {
    const stamp = await fetch(part.dataset.watch!).then(
      (answer) => (answer.ok ? answer.text() : part.dataset.stamp),
      () => part.dataset.stamp,
    );
    if (part.isConnected && stamp !== part.dataset.stamp) part.dispatchEvent(new CustomEvent("changed"));
  }
  setTimeout(() => void ask(), part.dataset.busy === undefined ? IDLE : BUSY);
}

/** Begins to look for changes of the part of this page that can change by itself. */
export function watchStamps(): void {
  void ask();
}
