<?php
require_once 'Symfony/Component/HttpFoundation/autoload.php';
require_once 'Symfony/Component/Routing/autoload.php';
require_once __DIR__ . '/passage.php';

use Symfony\Component\HttpFoundation\Request;
use Symfony\Component\HttpFoundation\Response;
use Symfony\Component\Routing\Matcher\UrlMatcher;
use Symfony\Component\Routing\RequestContext;
use Symfony\Component\Routing\Route;
use Symfony\Component\Routing\RouteCollection;

$routes = new RouteCollection();
$routes->add('quotes', new Route('/quotes/{number}'));
$request = Request::createFromGlobals();
$context = (new RequestContext())->fromRequest($request);
$found = (new UrlMatcher($routes, $context))->match($request->getPathInfo());
(new Response((string) quote((int) $found['number'])))->send();
