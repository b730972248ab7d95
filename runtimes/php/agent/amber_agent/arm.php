<?php
declare(strict_types=1);

namespace AmberLantern;

// Included by the gate when somebody is attached to some PHP of this user. What is not needed for every request is loaded
// when it is (Start::need).
if (!\class_exists(Start::class, false)) {
    require __DIR__ . '/Start.php';
    require __DIR__ . '/Plan.php';
}
return Start::arm();
