<?php
require_once __DIR__ . '/passage.php';
header('Content-Type: text/plain');
echo quote((int) basename($_SERVER['REQUEST_URI']));
