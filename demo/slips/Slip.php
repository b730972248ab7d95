<?php
declare(strict_types=1);

namespace Skerrow\Slips;

/** A request for a slip that cannot be made. */
final class BadSlip extends \RuntimeException
{
}

/** A boarding slip: who boards, and what it weighs. */
final class Slip implements \JsonSerializable
{
    public int $id = 0;
    /** @var list<array{what: string, number: int, weight: int}> */
    private array $lines = [];
    private int $total = 0;

    public function __construct(public readonly int $booking, public readonly string $name)
    {
    }

    /** Adds a number of things that weigh the same (kilograms). */
    public function add(string $what, int $number, int $weight): void
    {
        $this->lines[] = ['what' => $what, 'number' => $number, 'weight' => $number * $weight];
        $this->total += $number * $weight;
    }

    /** @return list<array{what: string, number: int, weight: int}> */
    public function lines(): array
    {
        return $this->lines;
    }

    public function total(): int
    {
        return $this->total;
    }

    public function jsonSerialize(): array
    {
        return ['id' => $this->id, 'booking' => $this->booking, 'name' => $this->name, 'lines' => $this->lines, 'total' => $this->total];
    }
}
