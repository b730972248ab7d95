<?php
declare(strict_types=1);

namespace Skerrow\Slips;

/** Characters that fit on the narrow slip of the printer. */
const WIDTH = 18;

/** A slip as a page to print. */
function slipPage(Slip $slip): string
{
    ob_start();
    ?>
<!doctype html>
<title>Slip <?= $slip->id ?></title>
<h1>Skerrow Ferries</h1>
<p>Booking <?= $slip->booking ?> · <b><?= printable($slip->name) ?></b></p>
<table>
<?php foreach ($slip->lines() as $line): ?>
<tr><td><?= $line['number'] ?> <?= printable($line['what']) ?></td><td><?= $line['weight'] ?> kg</td></tr>
<?php endforeach ?>
<tr><th>Total</th><th><?= $slip->total() ?> kg</th></tr>
</table>
<?php
    return ob_get_clean();
}

/** A text as the slip has room for it. */
function printable(string $text): string
{
    $short = substr($text, 0, WIDTH);
    return htmlspecialchars($short, ENT_QUOTES);
}
