<?php
require_once __DIR__ . '/passage.php';

use PHPUnit\Framework\TestCase;

final class QuotesTest extends TestCase
{
    public function testFare(): void
    {
        $this->assertSame(4, quote(2));
    }

    public function testFault(): void
    {
        $this->assertSame(43, quote(21));
    }
}
