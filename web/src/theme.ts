// Light or dark: what somebody chose, or what the system asks for.

const KEY = "theme";

const isDark = () => document.documentElement.dataset.theme === "dark";

/** Sets what was chosen, or else what the system asks for, before anything is drawn. */
export function keepTheme(): void {
  const asked = matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
  document.documentElement.dataset.theme = localStorage.getItem(KEY) ?? asked;
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
