import { RequestError } from '../../src/adapters/dap-server.js';
import type { Channel } from './channel.js';
import { callOf, type Frame } from './frames.js';
import { type ExceptionDetails, evaluatedSchema, type RemoteObject, remoteObjectSchema } from './protocol.js';
import { textOf } from './values.js';

/** The engine's group of the objects that were shown, which is released when the thread goes on. */
export const SHOWN_OBJECTS = 'amber';

/**
 * Computes an expression of the running code in a frame.
 * @param isHarmless whether the engine refuses what would change something
 * @throws RequestError `syntax`, `raised`, or `noSuchFrame` for a frame that has ended
 */
export async function evaluateIn(
  channel: Channel,
  frame: Frame,
  expression: string,
  isHarmless = false,
): Promise<RemoteObject> {
  const args = {
    callFrameId: callOf(frame).callFrameId,
    // What begins with a brace is meant as an object, not as a block.
    expression: expression.trimStart().startsWith('{') ? `(${expression})` : expression,
    objectGroup: SHOWN_OBJECTS,
    generatePreview: true,
    silent: true,
    throwOnSideEffect: isHarmless,
  };
  const { result, exceptionDetails } = await channel.send(
    'Debugger.evaluateOnCallFrame',
    args,
    evaluatedSchema,
  );
  if (exceptionDetails !== undefined) {
    throw errorOf(exceptionDetails);
  }
  return remoteObjectSchema.parse(result);
}

function errorOf({ text, exception }: ExceptionDetails): RequestError {
  const description = exception?.description?.split('\n')[0] ?? (exception ? textOf(exception) : text);
  return new RequestError(exception?.className === 'SyntaxError' ? 'syntax' : 'raised', description);
}
