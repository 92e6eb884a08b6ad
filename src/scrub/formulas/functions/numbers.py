"""Numbers: arithmetic, rounding, powers, angles, chance (OpenDocument 1.3, part 4, 6.16 and 6.17)."""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from decimal import ROUND_CEILING, ROUND_DOWN, ROUND_FLOOR, ROUND_HALF_UP, ROUND_UP, Decimal
from decimal import Context as Precision

from scrub.formulas.context import Context, Result
from scrub.formulas.functions.arguments import numbers_of, whole
from scrub.formulas.functions.registry import function
from scrub.formulas.values import DIV0, NUM, VALUE, Raised, Value, power_of

#: As many digits as are shown; rounding looks at no more.
SHOWN = Precision(prec=15)
WIDE = Precision(prec=400)


def rounded(number: float, digits: float, how: str) -> float:
    """A number rounded to N decimal places, starting from its first 15 digits."""
    places = max(-330, min(330, whole(digits)))
    if number == 0 or not math.isfinite(number):
        return number
    shown = SHOWN.create_decimal(Decimal(number))
    return float(shown.quantize(Decimal(1).scaleb(-places, WIDE), how, WIDE))


def _rounding(name: str, how: str, optional: bool = False) -> None:
    @function(name, "n?n" if optional else "nn", "6.17")
    def round_(on: object, number: float, digits: float = 0.0) -> Value:
        return rounded(number, digits, how)


_rounding("ROUND", ROUND_HALF_UP)
_rounding("ROUNDUP", ROUND_UP)
_rounding("ROUNDDOWN", ROUND_DOWN)
_rounding("TRUNC", ROUND_DOWN, True)


@function("INT", "n", "6.17")
def int_(on: object, number: float) -> Value:
    """The next whole number below."""
    return rounded(number, 0, ROUND_FLOOR)


def _to_even(number: float) -> float:
    steps = math.ceil(abs(number) / 2)
    return math.copysign(2.0 * steps, number) if steps else 0.0


@function("EVEN", "n", "6.17")
def even(on: object, number: float) -> Value:
    """The next even number, away from zero."""
    return _to_even(number)


@function("ODD", "n", "6.17")
def odd(on: object, number: float) -> Value:
    """The next odd number, away from zero."""
    steps = max(0, math.ceil((abs(number) - 1) / 2))
    return math.copysign(2.0 * steps + 1, number)


def _step(number: float, step: float, how: str) -> float:
    """A multiple of a step. The quotient is looked at with 15 digits, so that 0.3 is three steps of 0.1."""
    quotient = SHOWN.divide(Decimal(repr(number)), Decimal(repr(step)))
    return float(quotient.quantize(Decimal(1), how, WIDE) * Decimal(repr(step)))


@function("MROUND", "nn", "6.17")
def mround(on: object, number: float, step: float) -> Value:
    """The nearest multiple."""
    if step == 0 or number == 0:
        return 0.0
    if (number < 0) != (step < 0):
        raise Raised(NUM)
    return _step(number, step, ROUND_HALF_UP)


@function("CEILING", "nn", "6.17")
def ceiling(on: object, number: float, step: float) -> Value:
    """The next multiple, away from zero where both are negative."""
    if step == 0 or number == 0:
        return 0.0
    if number > 0 > step:
        raise Raised(NUM)
    return _step(number, step, ROUND_CEILING)


@function("FLOOR", "nn", "6.17")
def floor(on: object, number: float, step: float) -> Value:
    """The multiple before, towards zero where both are negative."""
    if number == 0:
        return 0.0
    if step == 0:
        return DIV0
    if number > 0 > step:
        raise Raised(NUM)
    return _step(number, step, ROUND_FLOOR)


@function("CEILING.MATH", "n?nn", "6.17")
def ceiling_math(on: object, number: float, step: float = 1.0, away: float = 0.0) -> Value:
    """The next multiple above; of a negative number away from zero if that is asked."""
    if step == 0 or number == 0:
        return 0.0
    return _step(number, abs(step), ROUND_FLOOR if number < 0 and away else ROUND_CEILING)


@function("FLOOR.MATH", "n?nn", "6.17")
def floor_math(on: object, number: float, step: float = 1.0, towards: float = 0.0) -> Value:
    """The multiple below; of a negative number towards zero if that is asked."""
    if step == 0 or number == 0:
        return 0.0
    return _step(number, abs(step), ROUND_CEILING if number < 0 and towards else ROUND_FLOOR)


@function("CEILING.PRECISE ISO.CEILING", "n?n", "6.17")
def ceiling_precise(on: object, number: float, step: float = 1.0) -> Value:
    """The next multiple above."""
    return ceiling_math(on, number, step)


@function("FLOOR.PRECISE", "n?n", "6.17")
def floor_precise(on: object, number: float, step: float = 1.0) -> Value:
    """The multiple below."""
    return floor_math(on, number, step)


def _plain(name: str, calculate: Callable[[float], float]) -> None:
    @function(name, "n", "6.16")
    def plain(on: object, number: float) -> Value:
        return calculate(number)


def _angle(number: float) -> float:
    if abs(number) >= 2**27:
        raise Raised(NUM)
    return number


for _name, _of in (
    ("ABS", abs),
    ("SIGN", lambda number: float((number > 0) - (number < 0))),
    ("EXP", math.exp),
    ("SIN", lambda number: math.sin(_angle(number))),
    ("COS", lambda number: math.cos(_angle(number))),
    ("TAN", lambda number: math.tan(_angle(number))),
    ("ASIN", math.asin),
    ("ACOS", math.acos),
    ("ATAN", math.atan),
    ("SINH", math.sinh),
    ("COSH", math.cosh),
    ("TANH", math.tanh),
    ("ASINH", math.asinh),
    ("ACOSH", math.acosh),
    ("ATANH", math.atanh),
    ("COT", lambda number: 1 / math.tan(_angle(number))),
    ("SEC", lambda number: 1 / math.cos(_angle(number))),
    ("CSC", lambda number: 1 / math.sin(_angle(number))),
    ("ACOT", lambda number: math.pi / 2 - math.atan(number)),
    ("DEGREES", math.degrees),
    ("RADIANS", math.radians),
    ("SQRT", math.sqrt),
    ("SQRTPI", lambda number: math.sqrt(number * math.pi)),
    ("LN", math.log),
    ("LOG10", math.log10),
    ("GAMMALN GAMMALN.PRECISE", lambda number: math.lgamma(_positive(number))),
):
    _plain(_name, _of)


def _positive(number: float) -> float:
    if number <= 0:
        raise Raised(NUM)
    return number


@function("PI", "", "6.16")
def pi(on: object) -> Value:
    """The ratio of a circle's circumference to its diameter."""
    return math.pi


@function("LOG", "n?n", "6.16")
def log(on: object, number: float, base: float = 10.0) -> Value:
    """The logarithm to a base."""
    if number <= 0 or base <= 0:
        raise Raised(NUM)
    if base == 10:
        return math.log10(number)
    return math.log2(number) if base == 2 else math.log(number) / math.log(base)


@function("POWER", "nn", "6.16")
def power(on: object, base: float, exponent: float) -> Value:
    """A power."""
    return power_of(base, exponent)


@function("ATAN2", "nn", "6.16")
def atan2(on: object, x: float, y: float) -> Value:
    """The angle of a point."""
    return DIV0 if x == 0 and y == 0 else math.atan2(y, x)


@function("MOD", "nn", "6.16")
def mod(on: object, number: float, divisor: float) -> Value:
    """What is left of a division, with the sign of the divisor."""
    if divisor == 0:
        return DIV0
    quotient = number / divisor
    if abs(quotient) >= 2**53:
        raise Raised(NUM)
    near = round(quotient)
    if near and abs(quotient - near) < 3.5e-15 * abs(near):
        return 0.0
    return number - divisor * math.floor(quotient)


@function("QUOTIENT", "nn", "6.16")
def quotient_(on: object, number: float, divisor: float) -> Value:
    """How often a number goes into another one."""
    return DIV0 if divisor == 0 else float(math.trunc(number / divisor))


@function("GCD", "x*x", "6.16")
def gcd(on: Context, *given: Result) -> Value:
    """The greatest common divisor."""
    return float(math.gcd(*_counts(on, given)))


@function("LCM", "x*x", "6.16")
def lcm(on: Context, *given: Result) -> Value:
    """The least common multiple."""
    total = 1
    for number in _counts(on, given):
        total = math.lcm(total, number)
        if total >= 2**53:
            raise Raised(NUM)
    return float(total)


def _counts(on: Context, given: tuple[Result, ...]) -> list[int]:
    numbers = list(numbers_of(on, given))
    if any(number < 0 or number >= 2**53 for number in numbers):
        raise Raised(NUM)
    return [whole(number) for number in numbers]


@function("FACT", "n", "6.16")
def fact(on: object, number: float) -> Value:
    """The product of all whole numbers up to one."""
    if not 0 <= number < 171:
        raise Raised(NUM)
    return float(math.factorial(whole(number)))


@function("FACTDOUBLE", "n", "6.16")
def factdouble(on: object, number: float) -> Value:
    """The product of each second whole number up to one."""
    if not -1 <= number < 301:
        raise Raised(NUM)
    return float(math.prod(range(whole(number), 0, -2)))


@function("COMBIN", "nn", "6.16")
def combin(on: object, number: float, chosen: float) -> Value:
    """How many choices there are, whatever the order."""
    count, some = whole(number), whole(chosen)
    if count < 0 or not 0 <= some <= count or count > 100_000:
        raise Raised(NUM)
    return float(math.comb(count, some))


@function("COMBINA", "nn", "6.16")
def combina(on: object, number: float, chosen: float) -> Value:
    """How many choices there are where one can be chosen again."""
    count, some = whole(number), whole(chosen)
    if count < 0 or some < 0 or (count == 0 and some > 0):
        raise Raised(NUM)
    return combin(on, float(count + some - 1), float(some)) if some else 1.0


@function("PERMUT", "nn", "6.16")
def permut(on: object, number: float, chosen: float) -> Value:
    """How many choices there are, with their order."""
    count, some = whole(number), whole(chosen)
    if count < 0 or not 0 <= some <= count or some > 1000:
        raise Raised(NUM)
    return float(math.perm(count, some))


@function("MULTINOMIAL", "x*x", "6.16")
def multinomial(on: Context, *given: Result) -> Value:
    """The number of ways to split a set into parts of given sizes."""
    numbers = _counts(on, given)
    if sum(numbers) > 170:
        raise Raised(NUM)
    return float(math.factorial(sum(numbers)) // math.prod(math.factorial(number) for number in numbers))


@function("RAND", "", "6.16", volatile=True)
def rand(on: object) -> Value:
    """A number by chance, from 0 to below 1."""
    return random.random()


@function("RANDBETWEEN", "nn", "6.16", volatile=True)
def randbetween(on: object, low: float, high: float) -> Value:
    """A whole number by chance."""
    first, last = math.ceil(low), math.floor(high)
    if first > last:
        raise Raised(NUM)
    return float(random.randint(first, last))


@function("SERIESSUM", "nnnx", "6.16")
def seriessum(on: Context, x: float, first: float, step: float, given: Result) -> Value:
    """A sum of powers with factors."""
    numbers = list(numbers_of(on, [given], True))
    if len(numbers) > 100_000:
        raise Raised(VALUE)
    return math.fsum(factor * math.pow(x, first + place * step) for place, factor in enumerate(numbers))
