// Entry: wires whatever the page has.
import { watchRequests } from "./requests";

watchRequests();
const drop = document.querySelector<HTMLFormElement>("#drop");
if (drop) void import("./upload").then((m) => m.attachUpload(drop));
const view = document.querySelector<HTMLElement>("#view");
if (view) void import("./workspace").then((m) => m.attachWorkspace(view));
