// Light or dark: what somebody chose, or what the system asks for.

const KEY = "theme";

const isDark = () => {
  const chosen = document.documentElement.dataset.theme;
  return chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
};

/** Sets what was chosen, before anything is drawn. */
export function keepTheme(): void {
  const chosen = localStorage.getItem(KEY);
  if (chosen) document.documentElement.dataset.theme = chosen;
}

/** The buttons that change it. */
export function watchTheme(): void {
  const tell = () => {
    for (const b of document.querySelectorAll("[data-theme-switch]")) b.textContent = isDark() ? "Light" : "Dark";
  };
  document.addEventListener("click", (event) => {
    if (!(event.target instanceof Element && event.target.closest("[data-theme-switch]"))) return;
    const theme = isDark() ? "light" : "dark";
    localStorage.setItem(KEY, theme);
    document.documentElement.dataset.theme = theme;
    tell();
    // What the view has drawn is in the colours of before.
    if (document.querySelector("#view")) location.reload();
  });
  document.body.addEventListener("htmx:afterSettle", tell);
  tell();
}

/** The colour of ink in the view: lines and points that have none of their own. */
export function ink(): string {
  return getComputedStyle(document.documentElement).getPropertyValue("--color-ink").trim() || "#1c2b3a";
}
