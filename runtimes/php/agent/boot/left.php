<?php
// Required by the same where nobody is attached any more: whoever was could not take it away, or is doing so just now.
// Gives a function that takes our lines, which name `$stub`, out of a `.user.ini`, where this user may write there.
return static function (string $file, string $first, string $last, string $stub): void {
    $text = (string) @\file_get_contents($file);
    $begin = \strpos($text, $first);
    $end = \strpos($text, $last);
    if ($begin === false || $end === false || $end < $begin) {
        return;
    }
    // From here on workers forget it, one after the other (runtimes/php/fpm/lend.ts).
    @\touch($stub);
    $rest = \substr($text, 0, $begin) . \substr($text, $end + \strlen($last));
    if (\trim($rest) === '') {
        @\unlink($file);
        return;
    }
    $new = "$file.new";
    if (@\file_put_contents($new, $rest) === \strlen($rest)) {
        @\chmod($new, (int) @\fileperms($file) & 0777);
        @\rename($new, $file);
    }
};
