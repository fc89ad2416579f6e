// Every page: what requests say when they fail.
import { followEvents } from "./events";
import { watchHeld, watchPresses } from "./pressing";
import { watchRequests } from "./requests";
import { watchSwitch } from "./switch";
import { watchTheme } from "./theme";
import { followTour } from "./tour";

// Where nothing can be done, the way back is.
document.body.addEventListener("click", (event) => {
  if (event.target instanceof Element && event.target.closest("[data-back]")) history.back();
});
watchRequests();
watchPresses();
watchHeld();
watchSwitch();
followEvents();
watchTheme();
followTour();
