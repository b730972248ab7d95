<?php
declare(strict_types=1);
namespace Ferry;

interface Sized { const int SEATS = 3; }
readonly class Boat implements Sized
{
    public function __construct(public string $name, private int $doors = self::SEATS)
    {
    }
    #[\Override]
    public function __toString(): string
    {
        return "$this->name {$this->doors}";
    }
    public function with(string $name): static
    {
        $other = clone $this;
        return new static($name, $this->doors + 1);
    }
}
enum Kind: string
{
    case Child = 'child';
    case Adult = 'adult';
    const DEFAULT = self::Adult;
    public static function of(?string $name): self
    {
        return self::tryFrom($name ?? '') ?? self::DEFAULT;
    }
}
function fare(Kind $kind, int ...$legs): int|float
{
    $price = match ($kind) {
        Kind::Child => array_sum($legs) / 2,
        default => array_sum($legs),
    };
    foreach ($legs as $index => $leg):
        if ($leg > 3) continue;
        $price += $index;
    endforeach;
    return $price;
}
$of = fare(...);
$constant = 'SEATS';
echo new Boat('Aino'), ' ', (new Boat('Aino'))->with(name: 'Holm'), ' ', $of(Kind::of('child'), 2, 4), ' ', fare(Kind::of(null), 1, 2), ' ', Boat::{$constant}, "\n";
$anonymous = new readonly class (5) { public function __construct(public int $n) {} };
echo $anonymous->n, json_validate('{}') ? ' json' : '', "\n";
