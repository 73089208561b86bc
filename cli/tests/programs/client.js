// A debug client that other adapters are tested with, too: it launches a program of two texts, and says what it saw.
const { DebugClient } = require("@vscode/debugadapter-testsupport");
const path = require("path");

async function main() {
  const client = new DebugClient("node", "", "plainbyte");
  await client.start(Number(process.argv[2]));
  const say = (text) => console.log(text);
  const stop = async (moves) => {
    const [event] = await Promise.all([client.waitForEvent("stopped"), moves()]);
    const { stackFrames } = (await client.stackTraceRequest({ threadId: 1 })).body;
    const frames = stackFrames.map((one) => `${one.name} ${one.source.name}:${one.line}`);
    say(`${event.body.reason} | ${frames.join(" < ")}`);
    return stackFrames[0];
  };
  // The client's own sequence: launch, breakpoints, the stop at the one.
  await client.hitBreakpoint({ program: "night.asm", board: "plover" }, { path: path.resolve("count.asm"), line: 2 });
  say("hit");
  const frame = await stop(() => client.stepOutRequest({ threadId: 1 }));
  const { scopes } = (await client.scopesRequest({ frameId: frame.id })).body;
  for (const scope of scopes) {
    const { variables } = (await client.variablesRequest({ variablesReference: scope.variablesReference })).body;
    say(`${scope.name}: ${variables.slice(0, 3).map((one) => `${one.name} ${one.value}`).join(", ")}`);
  }
  await stop(() => client.nextRequest({ threadId: 1 }));
  await stop(() => client.stepInRequest({ threadId: 1 }));
  await stop(() => client.customRequest("stepBack", { threadId: 1 }));
  const info = (await client.customRequest("dataBreakpointInfo", { name: "b" })).body;
  say(`${info.description}: ${info.accessTypes}`);
  await client.setBreakpointsRequest({ source: { path: path.resolve("count.asm") }, breakpoints: [] });
  await client.customRequest("setDataBreakpoints", { breakpoints: [{ dataId: info.dataId, accessType: "write" }] });
  await stop(() => client.continueRequest({ threadId: 1 }));
  const value = (await client.evaluateRequest({ expression: "b * 2", context: "watch", frameId: frame.id })).body.result;
  say(`b * 2: ${value}`);
  await client.customRequest("setDataBreakpoints", { breakpoints: [] });
  await client.setExceptionBreakpointsRequest({ filters: ["unset-register"] });
  await stop(() => client.continueRequest({ threadId: 1 }));
  await stop(() => client.customRequest("reverseContinue", { threadId: 1 }));
  // What cannot be done is an error, and the conversation goes on.
  await client.customRequest("fly").then(() => say("flew"), (error) => say(error.message));
  await Promise.all([client.waitForEvent("terminated"), client.disconnectRequest()]);
  await client.stop();
}

main().then(() => process.exit(0), (error) => { console.log(error.stack); process.exit(1); });
