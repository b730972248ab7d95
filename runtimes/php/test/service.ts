import { labelled, type Runtime } from '../../../conformance/fixture.js';
import { attachToPhp, PhpServer, phpHas } from '../../../test/support/php.js';

const SOURCE = `<?php

function fare($n)
{
    $total = $n * 3;      // [total]
    // [remark]
    $twice = $total * 2;  // [twice]
    return $twice;        // [back]
}

function quote($n)
{
    $first = fare($n);    // [call]
    return $first + 1;    // [after]
}

function round_trip($n)
{
    $length = 0;
    for ($leg = 0; $leg < $n; $leg++) {
        $length += $leg;  // [leg]
    }
    return $length;
}

function tide($n)
{
    throw new DomainException('tide');  // [raise]
}

function caught($n)
{
    try {
        return tide($n);
    } catch (DomainException $error) {
        return $n;
    }
}

function inside($n)
{
    try {
        throw new DomainException('tide');  // [inside]
    } catch (DomainException $error) {
        return $n;
    }
}

function late($n)
{
    require_once __DIR__ . '/later.php';
    return arrives($n);
}

function named($n)
{
    $request = $n + 1;
    return $request;  // [own]
}

function printed($n)
{
    error_log("on deck $n");
    return $n;
}

$double = fn($fee) => $fee * 2;  // [double]

function least($n)
{
    $fees = array_map(fn($fee) => $fee * $n, [3, 1, 2]);  // [least]
    return min($fees);
}

$routes = ['/double' => $double, '/least' => 'least', '/quote' => 'quote', '/round' => 'round_trip', '/caught' => 'caught', '/inside' => 'inside', '/named' => 'named', '/late' => 'late', '/printed' => 'printed'];
$answer = $routes[parse_url($_SERVER['REQUEST_URI'], PHP_URL_PATH)]((int) $_GET['n']);
echo $answer;
`;
const LATER = `<?php
function arrives($n)
{
    $tide = $n + 40;  // [arrives]
    return $tide;
}
`;

export const php: Runtime = {
  name: 'php',
  words: {
    variable: (name) => `$${name}`,
    request: (part) => `$request->${part}`,
    failing: 'nothing_here()',
    error: 'DomainException',
  },
  isHere: () => phpHas('cli'),
  async start(runFolder) {
    const server = await PhpServer.start({ 'index.php': SOURCE, 'later.php': LATER });
    return {
      file: server.path(),
      lineOf: (label) => labelled(SOURCE, label),
      attach: (args) => attachToPhp(runFolder, server.pid, args),
      get: (path, headers = {}) => server.get(path, { headers }),
      end: () => server.end(),
    };
  },
  impossible: {
    'a mark at errors stops where one is caught in the function that raises it':
      'without an extension an error is seen where it leaves a function',
    'requests at the same time are told apart': 'php -S serves one request after the other',
    'what the program prints is told with its request': 'what PHP prints is its answer; `response` shows it',
  },
};
