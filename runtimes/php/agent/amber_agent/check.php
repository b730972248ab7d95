<?php
declare(strict_types=1);

namespace AmberLantern;

// Run by the adapter, apart from any program: says where marks go and whether their expressions are PHP. A line of JSON in, a
// line of JSON out.
require __DIR__ . '/Outline.php';
require __DIR__ . '/Cursor.php';
require __DIR__ . '/Expressions.php';
require __DIR__ . '/Declarations.php';
require __DIR__ . '/Rewriter.php';
require __DIR__ . '/Expression.php';

/** Files looked through for a function, and where not to look. */
const MOST_FILES = 5000;
const PASSED_OVER = ['vendor', 'node_modules', '.git', '.amber', 'cache'];

\set_error_handler(static fn(): bool => true);

function outlineOf(string $path): Outline
{
    $text = \file_get_contents($path);
    if ($text === false) {
        throw new \RuntimeException("$path cannot be read");
    }
    try {
        return Rewriter::outline($text);
    } catch (\CompileError $error) {
        throw new \RuntimeException('the file has a syntax error: ' . \lcfirst($error->getMessage()) . " on line {$error->getLine()}");
    }
}

/** @return array<string, mixed> */
function checkFile(string $path, array $marks): array
{
    $outline = outlineOf($path);
    return ['marks' => \array_map(static function (array $mark) use ($outline): array {
        $point = $outline->pointFor($mark['line']);
        return [
            'line' => $point < 0 ? 0 : $outline->points[$point][1],
            'kind' => $point < 0 ? '' : $outline->points[$point][0],
            'trouble' => $point < 0 ? 'there is no code on this line or after it' : Expression::troubleOf($mark),
        ];
    }, $marks)];
}

/** @return array<string, mixed> */
function findFunctions(string $folder, array $marks): array
{
    $found = \array_map(static fn(array $mark): array => ['trouble' => Expression::troubleOf($mark), 'places' => []], $marks);
    foreach (phpFiles($folder) as $path) {
        $text = (string) \file_get_contents($path);
        foreach ($marks as $index => $mark) {
            $name = (string) \preg_replace('/^.*(::|->|[.#\\\\])/', '', $mark['name']);
            if ($name === '' || \stripos($text, $name) === false) {
                continue;
            }
            try {
                $outline = Rewriter::outline($text);
            } catch (\CompileError) {
                continue;
            }
            foreach ($outline->pointsOfFunction($mark['name']) as $point) {
                $place = ['path' => $path, 'line' => $outline->points[$point][1], 'extent' => $outline->extentAt($point)];
                $found[$index]['places'][] = $place;
            }
        }
    }
    return ['marks' => $found];
}

/** @return iterable<string> */
function phpFiles(string $folder): iterable
{
    $folders = new \RecursiveDirectoryIterator($folder, \FilesystemIterator::SKIP_DOTS | \FilesystemIterator::CURRENT_AS_FILEINFO);
    $wanted = new \RecursiveCallbackFilterIterator(
        $folders,
        static fn(\SplFileInfo $one): bool => !$one->isDir() || !\in_array($one->getFilename(), PASSED_OVER, true),
    );
    $count = 0;
    foreach (new \RecursiveIteratorIterator($wanted, \RecursiveIteratorIterator::LEAVES_ONLY, \RecursiveIteratorIterator::CATCH_GET_CHILD) as $file) {
        if (\in_array($file->getExtension(), ['php', 'phtml', 'inc'], true) && $file->isFile()) {
            $count += 1;
            if ($count > MOST_FILES) {
                return;
            }
            yield (string) \realpath($file->getPathname());
        }
    }
}

while (($line = \fgets(\STDIN)) !== false) {
    try {
        $asked = \json_decode($line, true, 64, \JSON_THROW_ON_ERROR);
        $answer = match ($asked['do']) {
            'file' => checkFile($asked['path'], $asked['marks']),
            'lines' => ['lines' => outlineOf($asked['path'])->lines()],
            'functions' => findFunctions($asked['folder'], $asked['marks']),
        };
    } catch (\Throwable $error) {
        $answer = ['trouble' => $error->getMessage()];
    }
    \fwrite(\STDOUT, \json_encode($answer, \JSON_INVALID_UTF8_SUBSTITUTE) . "\n");
}
