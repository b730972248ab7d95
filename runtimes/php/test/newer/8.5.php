<?php
namespace Ferry;

#[\NoDiscard]
function total(array $fares): int
{
    $sum = array_sum($fares);
    return $sum;
}
$total = [1, 2, 3]
    |> (fn(array $all): array => array_map(fn($n) => $n * 2, $all))
    |> total(...)
    |> (function (int $n): string {
        $text = "total $n";
        return $text;
    });
echo $total, ' ', array_first([4, 5]), array_last([4, 5]), "\n";
class Slip
{
    public const PRICE = static function (int $n): int {
        return $n * 3;
    };
    public function __construct(public int $number = 1, public readonly string $boat = 'Aino')
    {
    }
}
$slip = new Slip();
$other = clone($slip, ['number' => 2]);
(void) total([1]);
echo $other->number, $other->boat, ' ', (Slip::PRICE)(2), "\n";
