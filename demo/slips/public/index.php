<?php
// Answers POST /slips (a form) and GET /slips/ID (a page): php -S 127.0.0.1:PORT -t public
declare(strict_types=1);

namespace Skerrow\Slips;

require __DIR__ . '/../Slip.php';
require __DIR__ . '/../weights.php';
require __DIR__ . '/../Store.php';
require __DIR__ . '/../pages.php';
require __DIR__ . '/../handlers.php';

$path = (string) parse_url($_SERVER['REQUEST_URI'], PHP_URL_PATH);
$store = new Store(getenv('SLIPS_FOLDER') ?: sys_get_temp_dir() . '/skerrow-slips');
try {
    [$status, $type, $body] = answer($_SERVER['REQUEST_METHOD'], $path, $_POST, $store);
} catch (BadSlip $error) {
    [$status, $type, $body] = [400, 'application/json', json_encode(['error' => $error->getMessage()])];
}
http_response_code($status);
header("Content-Type: $type");
echo $body;
