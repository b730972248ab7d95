<?php
declare(strict_types=1);

// Puts every probe there is into real files and compiles them, without running any: names of files on the input, a JSON
// report on the output. php -d opcache.enable_cli=1 bench/php/corpus.php < FILES
namespace AmberLantern;

const AGENT = __DIR__ . '/../../runtimes/php/agent/amber_agent';
require AGENT . '/Outline.php';
require AGENT . '/Cursor.php';
require AGENT . '/Expressions.php';
require AGENT . '/Declarations.php';
require AGENT . '/Rewriter.php';
require AGENT . '/Splice.php';
require AGENT . '/Asking.php';

\set_error_handler(static fn(): bool => true);
\ini_set('memory_limit', '-1');

/** Whether a text compiles, in a process of its own, since a function can be declared once only. */
function compiles(string $text): bool
{
    $file = \sys_get_temp_dir() . '/amber-corpus-' . \getmypid() . '.php';
    \file_put_contents($file, $text);
    $child = \pcntl_fork();
    if ($child === 0) {
        \fclose(\STDERR);
        \ini_set('display_errors', '0');
        \ini_set('log_errors', '0');
        try {
            $isCompiled = \opcache_compile_file($file);
        } catch (\Throwable) {
            $isCompiled = false;
        }
        // Nothing of the compiled text is to run at the end.
        \posix_kill(\getmypid(), $isCompiled ? \SIGKILL : \SIGTERM);
    }
    \pcntl_waitpid($child, $status);
    \unlink($file);
    return \pcntl_wifsignaled($status) && \pcntl_wtermsig($status) === \SIGKILL;
}

/** What is wrong with a file that has probes in it; '' where nothing is. */
function check(string $source): string
{
    $outline = Rewriter::outline($source);
    $marks = [];
    foreach ($outline->points as $number => [$kind]) {
        if ($kind !== 'f' && $kind !== 'x') {
            $marks[$number] = [['id' => 1, 'kind' => 'log', 'values' => ['1'], 'condition' => '$a > 1']];
        }
    }
    $text = Splice::text($outline, 'id', true, $marks, true);
    if (\substr_count($text, "\n") !== \substr_count($source, "\n")) {
        return 'has another number of lines';
    }
    return compiles($text) && compiles(Splice::text($outline, 'id', false, [], false)) ? '' : 'does not compile';
}

$report = ['files' => 0, 'lines' => 0, 'skipped' => 0, 'failures' => []];
$began = \hrtime(true);
while (($name = \fgets(\STDIN)) !== false) {
    $name = \rtrim($name, "\n");
    $source = (string) \file_get_contents($name);
    // What does not compile without us says nothing about us.
    if (!compiles($source)) {
        $report['skipped'] += 1;
        continue;
    }
    $report['files'] += 1;
    $report['lines'] += \substr_count($source, "\n");
    $trouble = check($source);
    if ($trouble !== '') {
        $report['failures'][] = "$name: $trouble";
    }
}
$report['seconds'] = \round((\hrtime(true) - $began) / 1e9, 1);
echo \json_encode($report, \JSON_UNESCAPED_SLASHES), "\n";
