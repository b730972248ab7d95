/* Eight steady clients on a service, which look at every answer. */
import { Agent, request } from 'node:http';

const CLIENTS = 8;
let agent = new Agent({ keepAlive: true, maxSockets: CLIENTS + 4 });

/** Whether connections are used again: servers that close each one are asked anew. */
export function keepConnections(keepAlive) {
  agent.destroy();
  agent = new Agent({ keepAlive, maxSockets: CLIENTS + 4 });
}

const mayAskAgain = ({ reusedSocket }) => reusedSocket || !agent.options.keepAlive;

/** One request for the quote of a number; resolves to status and body, also where none came. */
export function ask(port, number, limit = 60_000) {
  return new Promise((done) => {
    const asked = request(
      { port, host: '127.0.0.1', path: `/quotes/${number}`, agent, headers: { 'x-number': `${number}` } },
      (response) => {
        let body = '';
        response.setEncoding('utf8');
        response.on('data', (chunk) => {
          body += chunk;
        });
        response.on('end', () => done(`${response.statusCode} ${body}`));
        response.on('error', (error) => done(error.code));
      },
    );
    asked.setTimeout(limit, () => asked.destroy(new Error('no answer')));
    // A server may close a connection in the moment in which it is used again, and uWSGI's own does so bare too.
    asked.on('error', (error) =>
      done(
        error.code === 'ECONNRESET' && mayAskAgain(asked)
          ? ask(port, number, limit)
          : (error.code ?? error.message),
      ),
    );
    asked.end();
  });
}

/** Asks for `count` quotes from `first` on, each once. @returns answers that were wrong */
export async function askAll(port, first, count) {
  const wrong = [];
  const client = async (index) => {
    for (let number = first + index; number < first + count; number += CLIENTS) {
      const answer = await ask(port, number);
      if (answer !== `200 ${number * 2}`) {
        wrong.push(`${number}: ${answer.slice(0, 100)}`);
      }
    }
  };
  await Promise.all(Array.from({ length: CLIENTS }, (_, index) => client(index)));
  return wrong;
}

/** Answers a second over some time; those that were wrong end it. */
export async function rate(port, milliseconds) {
  const end = performance.now() + milliseconds;
  let answered = 0;
  const client = async (index) => {
    for (let number = index; performance.now() < end; number += CLIENTS) {
      const answer = await ask(port, number);
      if (answer !== `200 ${number * 2}`) {
        throw new Error(`wrong answer: ${answer.slice(0, 200)}`);
      }
      answered += 1;
    }
  };
  await Promise.all(Array.from({ length: CLIENTS }, (_, index) => client(index)));
  return answered / (milliseconds / 1000);
}

export function endClients() {
  agent.destroy();
}
