// The dispatcher alone: the whole of undici brings fetch, web sockets and caches, a fifth of a second and 15 MB at each start.
declare module "undici/lib/dispatcher/agent.js" {
  import { Agent } from "undici";
  export default Agent;
}
