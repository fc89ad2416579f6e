// Every page: what requests say when they fail.
import { watchPresses } from "./pressing";
import { watchRequests } from "./requests";
import { watchStamps } from "./stamp";

// Where nothing can be done, the way back is.
document.body.addEventListener("click", (event) => {
  if (event.target instanceof Element && event.target.closest("[data-back]")) history.back();
});
watchRequests();
watchPresses();
watchStamps();
