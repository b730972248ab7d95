<?php
declare(strict_types=1);

namespace AmberLantern;

/** What one mark may tell. */
final class Limit
{
    public int $bytes;
    /** Which of its values are hidden, and whether any is. @var list<bool> */
    public array $hidden;
    public bool $hides;
    private int $perSecond;
    /** How many it may tell yet, in this second and in all. */
    private int $inSecond = 0;
    private int $inAll;
    private int $second = 0;

    /** @param array<string, mixed> $mark */
    public function __construct(array $mark)
    {
        $this->bytes = $mark['bytes'];
        $this->hidden = \array_map([Veil::class, 'hidesExpression'], $mark['values']);
        $this->hides = \in_array(true, $this->hidden, true);
        $this->perSecond = (int) $mark['perSecond'];
        $this->inAll = (int) ($mark['inAll'] ?? \PHP_INT_MAX);
    }

    /** Whether there is room for a hit in this second; it is taken then. */
    public function isFree(int $second): bool
    {
        if ($second !== $this->second) {
            $this->second = $second;
            $this->inSecond = $this->perSecond;
        }
        if ($this->inSecond <= 0 || $this->inAll <= 0 || Session::isFull()) {
            return false;
        }
        $this->inSecond -= 1;
        $this->inAll -= 1;
        return true;
    }
}
