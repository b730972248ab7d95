<?php
// Runs before every script. With nobody attached it costs one look for a folder, and a variable of the environment. It has
// no variables and no functions of its own, since the script would see them.
if (
    (\is_dir((string) \get_cfg_var('amber.folder')) || \getenv('AMBER_LAUNCH') !== false
        || \PHP_SAPI === 'cli' && \getenv('AMBER_PHP_CLI') !== false)
    && \getenv('AMBER_OFF') === false
    && require __DIR__ . '/../amber_agent/arm.php'
) {
    if (\get_cfg_var('amber.chained')) {
        \AmberLantern\Files::after(require \AmberLantern\Files::before(\get_cfg_var('amber.chained')));
    }
    if (\AmberLantern\Start::$includes) {
        \AmberLantern\Files::after(require \AmberLantern\Files::before(\AmberLantern\Start::$script));
        if (\ini_get('auto_append_file')) {
            \AmberLantern\Files::after(require \AmberLantern\Files::before(\ini_get('auto_append_file')));
        }
        exit;
    }
    \AmberLantern\Files::beforeScript(\AmberLantern\Start::$script);
} elseif (\get_cfg_var('amber.chained')) {
    require \get_cfg_var('amber.chained');
}
