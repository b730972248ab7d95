<?php
// `php -S` runs a router without the files that go before a script, so that `amber run` has this one in its place. What
// the router answers decides whether the server goes on to a file, hence the return.
return \is_dir((string) \get_cfg_var('amber.folder')) && \getenv('AMBER_OFF') === false
    && (require __DIR__ . '/../amber_agent/arm.php')
        ? \AmberLantern\Files::after(require \AmberLantern\Files::before(\getenv('AMBER_PHP_ROUTER')))
        : require \getenv('AMBER_PHP_ROUTER');
