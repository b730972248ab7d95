import { spawn } from 'node:child_process';
import { connect } from 'node:net';
import { Duplex } from 'node:stream';
import { z } from 'zod';
import { AmberError } from '../core/errors.js';
import type { PromptSession, TargetOpening } from './attach-session.js';
import type { TargetBench } from './prompt/target-bench.js';

const argumentsSchema = z
  .object({ request: z.enum(['attach', 'launch']).optional(), name: z.string().optional() })
  .catchall(z.unknown());
type ServerArguments = z.infer<typeof argumentsSchema>;

const childSchema = z.object({
  request: z.enum(['attach', 'launch']),
  configuration: argumentsSchema,
});

/**
 * Opens a DAP server of any make in the prompt.
 * @param where `tcp:HOST:PORT`, `unix:PATH`, or a command that speaks DAP on its input and output
 * @param json the arguments of its own `attach` request (or `launch`, when `"request": "launch"` is in it)
 * @throws AmberError `AL_USAGE`, `AL_NO_TARGET`, or what the server says
 */
export async function openServer(
  session: PromptSession,
  where: string,
  json: string | undefined,
): Promise<TargetBench> {
  return await openWith(session, where, readArguments(json));
}

async function openWith(
  session: PromptSession,
  where: string,
  { request = 'attach', ...attach }: ServerArguments,
  parent?: TargetBench,
): Promise<TargetBench> {
  const name = attach.name ?? nameOf(where);
  const opening: TargetOpening = {
    connect: () => connectServer(where),
    target: { id: name, name, showsOutput: true },
    attach: { ...attach, request },
    request,
    ...(parent ? { parent } : {}),
    reverse: {
      // A server asks for a session of its own for each process that its program starts.
      startDebugging: async (request) => {
        const child = childSchema.parse(request.arguments);
        void openWith(session, where, { ...child.configuration, request: child.request }, bench).then(
          (opened) => session.tell(`also attached: target ${opened.number} (${opened.target.name})`),
          (error: Error) => session.tell(`a session that the server asked for failed: ${error.message}`),
        );
        return {};
      },
    },
  };
  const bench: TargetBench = await session.open(opening);
  return bench;
}

function readArguments(json: string | undefined): ServerArguments {
  if (json === undefined) {
    return {};
  }
  try {
    return argumentsSchema.parse(JSON.parse(json));
  } catch (error) {
    throw new AmberError(
      'AL_USAGE',
      `--dap-attach is not a JSON object: ${(error as Error).message.split('\n')[0]}`,
      `for example --dap-attach '{"port": 5678}'`,
    );
  }
}

function nameOf(where: string): string {
  return /^(tcp|unix):/.test(where) ? where : (where.trim().split(/\s+/)[0] ?? where);
}

async function connectServer(where: string): Promise<Duplex> {
  const tcp = /^tcp:(?:\/\/)?(.+):(\d+)$/.exec(where);
  if (tcp !== null) {
    return await connected(connect({ host: tcp[1] ?? '', port: Number(tcp[2]) }), where);
  }
  const unix = /^unix:(?:\/\/)?(.+)$/.exec(where);
  if (unix !== null) {
    return await connected(connect({ path: unix[1] ?? '' }), where);
  }
  return spawnServer(where);
}

function connected(socket: ReturnType<typeof connect>, where: string): Promise<Duplex> {
  return new Promise((resolve, reject) => {
    socket.once('connect', () => resolve(socket));
    socket.once('error', (error) =>
      reject(
        new AmberError(
          'AL_NO_TARGET',
          `no DAP server answers at ${where}: ${error.message}`,
          'is it running, and does it wait for a client?',
        ),
      ),
    );
  });
}

/** A server that is a child of ours, on its standard streams; what it says on standard error is shown. */
async function spawnServer(command: string): Promise<Duplex> {
  const child = spawn(command, { shell: true, stdio: ['pipe', 'pipe', 'inherit'] });
  const stream = Duplex.from({ readable: child.stdout, writable: child.stdin });
  stream.on('error', () => undefined);
  child.stdin.on('error', () => undefined);
  stream.on('close', () => child.kill());
  process.once('exit', () => child.kill());
  return stream;
}
