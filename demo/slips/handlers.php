<?php
declare(strict_types=1);

namespace Skerrow\Slips;

/**
 * The status, the type and the text of the answer to a request.
 * @return array{int, string, string}
 */
function answer(string $method, string $path, array $form, Store $store): array
{
    if ($method === 'POST' && $path === '/slips') {
        $slip = makeSlip($form);
        $store->keep($slip);
        return [201, 'application/json', json_encode($slip, JSON_UNESCAPED_UNICODE)];
    }
    if ($method === 'GET' && preg_match('~^/slips/(\d+)$~', $path, $found) === 1) {
        $slip = $store->find((int) $found[1]);
        return $slip === null
            ? [404, 'application/json', json_encode(['error' => "there is no slip {$found[1]}"])]
            : [200, 'text/html; charset=utf-8', slipPage($slip)];
    }
    return [404, 'application/json', json_encode(['error' => 'slips takes POST /slips and GET /slips/ID'])];
}

/** A slip from the form that the desk sends. */
function makeSlip(array $form): Slip
{
    $booking = (int) ($form['booking'] ?? 0);
    if ($booking < 1) {
        throw new BadSlip('a slip needs the number of a booking');
    }
    $slip = new Slip($booking, trim($form['name'] ?? ''));
    $travellers = max(1, (int) ($form['travellers'] ?? 1));
    $slip->add('travellers', $travellers, weightOf('traveller'));
    $slip->add('luggage', $travellers, weightOf('luggage'));
    $vehicle = $form['vehicle'] ?? '';
    if ($vehicle !== '') {
        $slip->add($vehicle, 1, weightOf($vehicle));
    }
    return $slip;
}
