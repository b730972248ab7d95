<?php
// Required by what stands before the scripts of a php-fpm that was started without the agent (runtimes/php/fpm/user-ini.ts),
// while somebody is attached. Gives a function: whether this request is one that is looked at.
return static function (string $folder, bool $isNamed, string $stub): bool {
    if (!\class_exists(\AmberLantern\Start::class, false)) {
        require __DIR__ . '/../amber_agent/Start.php';
        require __DIR__ . '/../amber_agent/Plan.php';
    }
    \AmberLantern\Plan::$lentFolder = $folder;
    \AmberLantern\Plan::$isNamed = $isNamed;
    \AmberLantern\Plan::$stub = $stub;
    return \AmberLantern\Start::arm();
};
