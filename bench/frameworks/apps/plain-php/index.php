<?php
require_once __DIR__ . '/quotes.php';
header('Content-Type: text/plain');
echo quote((int) basename($_SERVER['REQUEST_URI']));
