import http from "node:http";
import https from "node:https";
import type { WebSend } from "./fetch-address.js";
import { sendHttp } from "./send-http.js";

/** Sends all requests to one port of this machine, whatever host they name: to the stand-in's web, which tells hosts apart by their names. */
export function sendTo(port: number, host = "127.0.0.1"): WebSend {
  const agents = { "http:": new http.Agent(), "https:": new https.Agent() };
  return (request) => sendHttp(request, { agents, to: { host, port } });
}
