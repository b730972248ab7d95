<?php
declare(strict_types=1);

namespace Skerrow\Slips;

/** Slips on disk, one file each; each request is a program of its own. */
final class Store
{
    public function __construct(private readonly string $folder)
    {
        if (!is_dir($folder)) {
            mkdir($folder, 0700, true);
        }
    }

    /** Gives the slip its number. */
    public function keep(Slip $slip): void
    {
        $counter = fopen("$this->folder/last", 'c+');
        flock($counter, LOCK_EX);
        $slip->id = (int) fgets($counter) + 1;
        rewind($counter);
        fwrite($counter, (string) $slip->id);
        fclose($counter);
        file_put_contents("$this->folder/$slip->id", serialize($slip));
    }

    public function find(int $id): ?Slip
    {
        $file = "$this->folder/$id";
        return is_file($file) ? unserialize(file_get_contents($file)) : null;
    }
}
