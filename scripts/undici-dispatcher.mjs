// What of undici goes into the command line's bundle; see bundle.mjs.
import Client from "../node_modules/undici/lib/dispatcher/client.js";

export { Client };
