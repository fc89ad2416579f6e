// Every page: what requests say when they fail.
import { watchRequests } from "./requests";
import { watchStamps } from "./stamp";

watchRequests();
watchStamps();
