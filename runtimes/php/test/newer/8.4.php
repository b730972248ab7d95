<?php
namespace Ferry;

class Cabin
{
    public private(set) int $beds = 2;
    public string $label {
        get => strtoupper($this->label) . $this->beds;
        set(string $value) {
            $this->label = trim($value);
        }
    }
    public int $twice {
        get {
            $beds = $this->beds;
            return $beds * 2;
        }
    }
    public array $legs = ['a' => [1]] {
        &get {
            $legs = &$this->legs;
            return $legs;
        }
    }
    final protected(set) readonly string $deck;
    public function __construct(public string $name { set => ucfirst($value); }, string $label)
    {
        $this->label = $label;
        $this->deck = 'upper';
    }
    public function add(): static
    {
        $this->beds++;
        return $this;
    }
}
interface Priced { public int $price { get; } }
$cabin = new Cabin('aino', ' a ')->add();
$cabin->legs['b'] = 2;
echo count($cabin->legs), $cabin->label, ' ', $cabin->twice, ' ', $cabin->name, ' ', $cabin->deck, ' ';
echo array_find([1, 2, 3], fn(int $n): bool => $n > 1), ' ', array_any([1], function ($n) { return $n === 1; }) ? 'any' : 'none', "\n";
#[\Deprecated('no')]
function old(): int
{
    return 1;
}
try {
    $lazy = new \ReflectionClass(Cabin::class)->newLazyGhost(function (Cabin $one): void {
        $one->__construct('holm', 'b');
    });
    echo $lazy->twice, "\n";
} catch (\Error | \TypeError $error) {
    echo $error->getMessage(), "\n";
}
