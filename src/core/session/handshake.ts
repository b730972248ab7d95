import { z } from 'zod';
import type { Clock } from '../clock.js';
import type { DapClient } from '../dap/client.js';
import { EXTENSION_VERSION } from '../dap/extensions.js';
import * as dap from '../dap/messages.js';
import { AmberError } from '../errors.js';
import { patient } from '../patience.js';
import type { StateMachine } from './state.js';

/** Milliseconds a server may take from `attach` to `initialized`, and from there to the answer. */
const HANDSHAKE_TIMEOUT = 10_000;

const anything = z.unknown();

/** What a handshake is made with. */
export interface Shaking {
  client: DapClient;
  machine: StateMachine;
  clock: Clock;
  request: 'attach' | 'launch';
  /** Arguments of the server's own for `attach` or `launch`. */
  args: Record<string, unknown>;
  /** The requests of the server's that are answered here. */
  answers: { runInTerminal: boolean; startDebugging: boolean };
  /** What the server can do, as it tells it. */
  learn(capabilities: dap.Capabilities): void;
  capabilities(): dap.Capabilities;
  /** Sets the marks, when the server is ready for them. */
  configure(): Promise<void>;
}

/**
 * The handshake (DAP overview, "Initialization", "Launching and attaching"): initialize; attach; when the
 * server says `initialized`, `configure` sets the marks; configurationDone. Some servers answer attach
 * only after that, so its answer is awaited last.
 * @throws AmberError of any step
 */
export async function handshake(shaking: Shaking): Promise<void> {
  const { client, machine, clock } = shaking;
  const initialized = awaitInitialized(client, clock);
  // Nobody may be waiting for it yet when it fails.
  initialized.catch(() => undefined);
  machine.to('initializing');
  await initialize(shaking);
  machine.to('attaching');
  const attached = client.request(shaking.request, shaking.args, anything, {
    timeout: 0,
  });
  // Refused before `initialized`: that is the error to tell.
  await Promise.race([initialized, attached.then(() => initialized)]);
  machine.to('configuring');
  await shaking.configure();
  if (shaking.capabilities().supportsConfigurationDoneRequest) {
    await client.request('configurationDone', {}, anything);
  }
  await within(clock, HANDSHAKE_TIMEOUT, 'answer attach', attached);
  machine.requireOpen();
  machine.to('live');
}

async function initialize({ client, answers, learn }: Shaking): Promise<void> {
  const capabilities = await client.request(
    'initialize',
    {
      clientID: 'amber',
      clientName: 'Amber Lantern',
      adapterID: 'amber',
      locale: 'en',
      pathFormat: 'path',
      linesStartAt1: true,
      columnsStartAt1: true,
      supportsVariableType: true,
      supportsVariablePaging: true,
      supportsRunInTerminalRequest: answers.runInTerminal,
      supportsStartDebuggingRequest: answers.startDebugging,
      amber: { version: EXTENSION_VERSION },
    },
    dap.capabilitiesSchema.optional(),
  );
  learn(capabilities ?? {});
}

function awaitInitialized(client: DapClient, clock: Clock): Promise<void> {
  const seen = new Promise<void>((resolve, reject) => {
    const onEvent = (event: dap.Event) => {
      if (event.event === 'initialized') {
        client.off('event', onEvent);
        resolve();
      }
    };
    client.on('event', onEvent);
    client.once('closed', reject);
  });
  return within(clock, HANDSHAKE_TIMEOUT, 'say that it is initialized', seen);
}

function within<T>(clock: Clock, milliseconds: number, what: string, promise: Promise<T>): Promise<T> {
  return new Promise((resolve, reject) => {
    const late = () =>
      reject(
        new AmberError('AL_TIMEOUT', `the server did not ${what} within ${patient(milliseconds) / 1000} s`),
      );
    const cancel = clock.after(patient(milliseconds), late);
    promise.then(resolve, reject).finally(cancel);
  });
}
