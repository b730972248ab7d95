import WebSocket from 'ws';
import { z } from 'zod';
import { patient } from '../../../src/core/patience.js';
import { connectedTo, listeningPorts } from '../../../src/targets/linux.js';
import { DEFAULT_PORT } from './signs.js';

/**
 * Milliseconds until an inspector greets us, which it does however busy the program is. One that is being closed may
 * not, and holds its program until we have gone.
 */
const HANDSHAKE_TIMEOUT = 1_000;

/** An inspector that is open: the address of its session. */
export interface OpenInspector {
  url: string;
  port: number;
}

/** The first of these ports that is an inspector; undefined when none is. */
export async function findInspector(
  ports: { host: string; port: number }[],
): Promise<OpenInspector | undefined> {
  for (const { host, port } of ports) {
    try {
      const response = await fetch(`http://${host}:${port}/json/list`, { signal: AbortSignal.timeout(1000) });
      const list = z.array(z.object({ webSocketDebuggerUrl: z.string() })).safeParse(await response.json());
      if (list.success && list.data[0] !== undefined) {
        return { url: list.data[0].webSocketDebuggerUrl, port };
      }
    } catch {
      // Not open yet, or a port of the program's that opened at the same moment.
    }
  }
  return undefined;
}

/** The inspector that a process has open now. */
export async function inspectorOf(pid: number, command: string): Promise<OpenInspector | undefined> {
  return await findInspector(listeningPorts(pid).filter((at) => isInspectorPort(at, command)));
}

/** Whether somebody is connected to an inspector. */
export function isInUse({ port }: OpenInspector): boolean {
  return connectedTo(port) > 0;
}

/**
 * Whether a port that is open already is the inspector's: Node's default, or the one its command line names.
 * `--inspect=0` names none; then every port that only this machine reaches is asked.
 */
function isInspectorPort({ host, port }: { host: string; port: number }, command: string): boolean {
  // Of several options the last one says which port; one that only says so opens none.
  const named = [...command.matchAll(/--inspect(?:-brk|-wait|-port)?=(?:[^\s:]*:)?(\d+)/g)].at(-1);
  if (named?.[1] === '0') {
    return /--inspect(?:-brk|-wait)?(?:[=\s]|$)/.test(command) && host === '127.0.0.1';
  }
  return port === Number(named?.[1] ?? DEFAULT_PORT);
}

const answerSchema = z.object({
  id: z.literal(1),
  result: z.object({
    result: z.object({ value: z.unknown().optional() }),
    exceptionDetails: z
      .object({
        text: z.string(),
        exception: z.object({ description: z.string().optional() }).optional(),
      })
      .optional(),
  }),
});

/**
 * Evaluates an expression in a process by a connection of its own, with `require` at hand.
 * @returns its value; undefined when the inspector was closed meanwhile
 * @throws Error with what the program raised
 */
export async function evaluateOnce(url: string, expression: string): Promise<unknown> {
  const socket = new WebSocket(url, {
    perMessageDeflate: false,
    handshakeTimeout: patient(HANDSHAKE_TIMEOUT),
  });
  try {
    const answer = await new Promise<z.infer<typeof answerSchema> | undefined>((resolve) => {
      // One that is ended while it connects tells of that as well.
      socket.on('error', () => resolve(undefined));
      socket.once('close', () => resolve(undefined));
      socket.on('message', (data) => {
        const parsed = answerSchema.safeParse(JSON.parse(String(data)));
        if (parsed.success) {
          resolve(parsed.data);
        }
      });
      socket.once('open', () => {
        const named = `${expression}\n//# sourceURL=amber:once`;
        const params = { expression: named, includeCommandLineAPI: true, silent: true, returnByValue: true };
        socket.send(JSON.stringify({ id: 1, method: 'Runtime.evaluate', params }));
      });
    });
    const raised = answer?.result.exceptionDetails;
    if (raised !== undefined) {
      throw new Error(raised.exception?.description?.split('\n')[0] ?? raised.text);
    }
    return answer?.result.result.value;
  } finally {
    socket.terminate();
  }
}

/**
 * Closes it when we have gone. `require` is there only while the expression is evaluated, and nothing of this may raise
 * in the program later.
 */
const CLOSE = `((inspector) => {
  setTimeout(() => { try { inspector.close(); } catch {} }, 10).unref();
})(require('node:inspector'))`;

/** Closes an inspector that was opened for us and has nobody to talk to. */
export async function closeInspector({ url }: OpenInspector): Promise<void> {
  await evaluateOnce(url, CLOSE).catch(() => undefined);
}
