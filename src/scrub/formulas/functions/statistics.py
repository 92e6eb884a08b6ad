"""What is calculated from a list of numbers (OpenDocument 1.3, part 4, 6.18). Each gives a number or an error."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Sequence

from scrub.formulas.functions.registry import function
from scrub.formulas.values import DIV0, NA, NUM, Raised, Value


def average(numbers: list[float]) -> Value:
    """The arithmetic mean."""
    return math.fsum(numbers) / len(numbers) if numbers else DIV0


def product(numbers: list[float]) -> Value:
    """The product; 0 of none."""
    return math.prod(numbers) if numbers else 0.0


def greatest(numbers: list[float]) -> Value:
    """The greatest one; 0 of none."""
    return max(numbers, default=0.0)


def least(numbers: list[float]) -> Value:
    """The least one; 0 of none."""
    return min(numbers, default=0.0)


def median(numbers: list[float]) -> Value:
    """The one in the middle, or the mean of the two there."""
    if not numbers:
        return NUM
    ordered, half = sorted(numbers), len(numbers) // 2
    return ordered[half] if len(numbers) % 2 else (ordered[half - 1] + ordered[half]) / 2


def mode(numbers: list[float]) -> Value:
    """The most frequent one; of several that which comes first."""
    counts = Counter(numbers)
    best = max(counts.values(), default=1)
    return NA if best == 1 else next(number for number in numbers if counts[number] == best)


def devsq(numbers: list[float]) -> Value:
    """The sum of the squared distances from the mean."""
    if not numbers:
        return NUM
    mean = math.fsum(numbers) / len(numbers)
    return math.fsum((number - mean) ** 2 for number in numbers)


def _spread(numbers: list[float], less: int) -> Value:
    if len(numbers) <= less:
        return DIV0
    total = devsq(numbers)
    assert isinstance(total, float)
    return total / (len(numbers) - less)


def var(numbers: list[float]) -> Value:
    """The variance of a sample."""
    return _spread(numbers, 1)


def varp(numbers: list[float]) -> Value:
    """The variance of all there are."""
    return _spread(numbers, 0)


def _root(value: Value) -> Value:
    return math.sqrt(value) if isinstance(value, float) else value


def stdev(numbers: list[float]) -> Value:
    """The standard deviation of a sample."""
    return _root(var(numbers))


def stdevp(numbers: list[float]) -> Value:
    """The standard deviation of all there are."""
    return _root(varp(numbers))


def avedev(numbers: list[float]) -> Value:
    """The mean distance from the mean."""
    if not numbers:
        return NUM
    mean = math.fsum(numbers) / len(numbers)
    return math.fsum(abs(number - mean) for number in numbers) / len(numbers)


def geomean(numbers: list[float]) -> Value:
    """The geometric mean."""
    if not numbers or min(numbers) <= 0:
        return NUM
    return math.exp(math.fsum(map(math.log, numbers)) / len(numbers))


def harmean(numbers: list[float]) -> Value:
    """The harmonic mean."""
    if not numbers or min(numbers) <= 0:
        return NUM
    return len(numbers) / math.fsum(1 / number for number in numbers)


def skew(numbers: list[float]) -> Value:
    """How lopsided a sample is."""
    count, deviation = len(numbers), stdev(numbers)
    if count < 3 or not isinstance(deviation, float) or deviation == 0:
        return DIV0
    mean = math.fsum(numbers) / count
    total = math.fsum(((number - mean) / deviation) ** 3 for number in numbers)
    return total * count / ((count - 1) * (count - 2))


def kurt(numbers: list[float]) -> Value:
    """How peaked a sample is."""
    count, deviation = len(numbers), stdev(numbers)
    if count < 4 or not isinstance(deviation, float) or deviation == 0:
        return DIV0
    mean = math.fsum(numbers) / count
    total = math.fsum(((number - mean) / deviation) ** 4 for number in numbers)
    factor = count * (count + 1) / ((count - 1) * (count - 2) * (count - 3))
    return total * factor - 3 * (count - 1) ** 2 / ((count - 2) * (count - 3))


# -- by places


def large(numbers: list[float], place: float) -> Value:
    """The Nth greatest number."""
    at = math.ceil(place)
    return sorted(numbers, reverse=True)[at - 1] if 1 <= at <= len(numbers) else NUM


def small(numbers: list[float], place: float) -> Value:
    """The Nth least number."""
    at = math.ceil(place)
    return sorted(numbers)[at - 1] if 1 <= at <= len(numbers) else NUM


def percentile(numbers: list[float], part: float) -> Value:
    """What a part of the numbers is below, with both ends counted."""
    if not numbers or not 0 <= part <= 1:
        return NUM
    return _between(sorted(numbers), part * (len(numbers) - 1))


def percentile_exc(numbers: list[float], part: float) -> Value:
    """What a part of the numbers is below, without the ends."""
    at = part * (len(numbers) + 1) - 1
    if not numbers or not 0 < part < 1 or not 0 <= at <= len(numbers) - 1:
        return NUM
    return _between(sorted(numbers), at)


def _between(ordered: Sequence[float], at: float) -> float:
    low = math.floor(at + 1e-12)
    rest = max(0.0, at - low)
    if low + 1 >= len(ordered) or rest == 0:
        return ordered[min(low, len(ordered) - 1)]
    return ordered[low] + rest * (ordered[low + 1] - ordered[low])


def quartile(numbers: list[float], which: float) -> Value:
    """A quarter of the numbers: 0 is the least, 4 the greatest."""
    at = int(which)
    return percentile(numbers, at / 4) if 0 <= at <= 4 else NUM


def quartile_exc(numbers: list[float], which: float) -> Value:
    """A quarter of the numbers, without the ends."""
    at = int(which)
    return percentile_exc(numbers, at / 4) if 1 <= at <= 3 else NUM


def trimmean(numbers: list[float], part: float) -> Value:
    """The mean without a part of the numbers, half of it at each end."""
    if not numbers or not 0 <= part < 1:
        return NUM
    off = int(part * len(numbers) / 2 + 1e-12)
    return average(sorted(numbers)[off : len(numbers) - off])


def rank(number: float, numbers: list[float], ascending: bool) -> Value:
    """The place of a number among others, from 1."""
    if number not in numbers:
        return NA
    return 1.0 + sum(other < number if ascending else other > number for other in numbers)


def percentrank(ordered: list[float], number: float, digits: int) -> Value:
    """The place of a number, from 0 to 1, cut after some digits."""
    if not ordered or digits < 1:
        return NUM
    if not ordered[0] <= number <= ordered[-1]:
        return NA
    if len(ordered) == 1:
        return 1.0
    below = sum(other < number for other in ordered)
    at = float(below)
    if number not in ordered:
        low, high = ordered[below - 1], ordered[below]
        at = below - 1 + (number - low) / (high - low)
    scale = 10.0**digits
    return math.floor(at / (len(ordered) - 1) * scale + 1e-9) / scale


# -- of pairs: y before x, as their functions have it


def _means(pairs: list[tuple[float, float]]) -> tuple[float, float]:
    return math.fsum(y for y, _ in pairs) / len(pairs), math.fsum(x for _, x in pairs) / len(pairs)


def _products(pairs: list[tuple[float, float]]) -> tuple[float, float, float]:
    """The sums of the products of distances from the means: y and x, x twice, y twice."""
    y_mean, x_mean = _means(pairs)
    return (
        math.fsum((y - y_mean) * (x - x_mean) for y, x in pairs),
        math.fsum((x - x_mean) ** 2 for _, x in pairs),
        math.fsum((y - y_mean) ** 2 for y, _ in pairs),
    )


def correl(pairs: list[tuple[float, float]]) -> Value:
    """How much two rows of numbers go together, from -1 to 1."""
    if not pairs:
        return DIV0
    both, x_twice, y_twice = _products(pairs)
    return both / math.sqrt(x_twice * y_twice) if x_twice * y_twice else DIV0


def covar(pairs: list[tuple[float, float]]) -> Value:
    """The covariance of all there are."""
    return _products(pairs)[0] / len(pairs) if pairs else DIV0


def covar_s(pairs: list[tuple[float, float]]) -> Value:
    """The covariance of a sample."""
    return _products(pairs)[0] / (len(pairs) - 1) if len(pairs) > 1 else DIV0


def slope(pairs: list[tuple[float, float]]) -> Value:
    """How steep the line through points is."""
    if not pairs:
        return DIV0
    both, x_twice, _ = _products(pairs)
    return both / x_twice if x_twice else DIV0


def intercept(pairs: list[tuple[float, float]]) -> Value:
    """Where the line through points is at 0."""
    steep = slope(pairs)
    if not isinstance(steep, float):
        return steep
    y_mean, x_mean = _means(pairs)
    return y_mean - steep * x_mean


def rsq(pairs: list[tuple[float, float]]) -> Value:
    """The square of the correlation."""
    value = correl(pairs)
    return value * value if isinstance(value, float) else value


def steyx(pairs: list[tuple[float, float]]) -> Value:
    """The standard error of the line through points."""
    if len(pairs) < 3:
        return DIV0
    both, x_twice, y_twice = _products(pairs)
    return math.sqrt((y_twice - both * both / x_twice) / (len(pairs) - 2)) if x_twice else DIV0


# -- distributions


def _normal(number: float) -> float:
    return math.erfc(-number / math.sqrt(2)) / 2


@function("NORM.DIST NORMDIST", "nnnb", "6.18")
def norm_dist(on: object, number: float, mean: float, deviation: float, cumulative: bool) -> Value:
    """The normal distribution."""
    if deviation <= 0:
        raise Raised(NUM)
    place = (number - mean) / deviation
    if cumulative:
        return _normal(place)
    return math.exp(-place * place / 2) / (deviation * math.sqrt(2 * math.pi))


@function("NORMSDIST", "n", "6.18")
def normsdist(on: object, number: float) -> Value:
    """The standard normal distribution, cumulated."""
    return _normal(number)


@function("STANDARDIZE", "nnn", "6.18")
def standardize(on: object, number: float, mean: float, deviation: float) -> Value:
    """How many deviations a number is from the mean."""
    if deviation <= 0:
        raise Raised(NUM)
    return (number - mean) / deviation


#: Weights below this do not count beside that of the likeliest.
_NOTHING = 1e-300


@function("BINOMDIST BINOM.DIST", "nnnb", "6.18")
def binomdist(on: object, hits: float, trials: float, chance: float, cumulative: bool) -> Value:
    """The binomial distribution."""
    successes, count = int(hits), int(trials)
    if not 0 <= successes <= count or not 0 <= chance <= 1 or count > 100_000:
        raise Raised(NUM)
    if chance in (0, 1):
        at = count * int(chance)
        return float(at <= successes if cumulative else at == successes)
    odds = chance / (1 - chance)
    return _share(successes, count, int((count + 1) * chance), lambda at: (count - at) / (at + 1) * odds, cumulative)


def _share(asked: int, last: int, mode: int, ratio: Callable[[int], float], cumulative: bool) -> float:
    """The probability of a number, or of all up to it, where each has that of the one before times `ratio`.

    From the likeliest number both ways, and then by what they come to together: logarithms of factorials would lose
    digits, and the sum could be more than 1.
    """
    weights = {min(mode, last): 1.0}
    at, weight = min(mode, last), 1.0
    while at < last and weight > _NOTHING:
        weight *= ratio(at)
        at += 1
        weights[at] = weight
    at, weight = min(mode, last), 1.0
    while at > 0 and weight > _NOTHING:
        at -= 1
        weight /= ratio(at)
        weights[at] = weight
    wanted = (
        math.fsum(weight for at, weight in weights.items() if at <= asked) if cumulative else weights.get(asked, 0.0)
    )
    return wanted / math.fsum(weights.values())


@function("POISSON POISSON.DIST", "nnb", "6.18")
def poisson(on: object, number: float, mean: float, cumulative: bool) -> Value:
    """The Poisson distribution."""
    count = int(number)
    if count < 0 or mean < 0 or count > 100_000:
        raise Raised(NUM)
    if mean == 0:
        return 1.0 if cumulative or count == 0 else 0.0
    if mean > 200_000:
        return 0.0  # so much less likely than any double says
    return _share(count, 1_000_000, int(mean), lambda at: mean / (at + 1), cumulative)


@function("EXPONDIST EXPON.DIST", "nnb", "6.18")
def expondist(on: object, number: float, rate: float, cumulative: bool) -> Value:
    """The exponential distribution."""
    if number < 0 or rate <= 0:
        raise Raised(NUM)
    return -math.expm1(-rate * number) if cumulative else rate * math.exp(-rate * number)


@function("CONFIDENCE CONFIDENCE.NORM", "nnn", "6.18")
def confidence(on: object, alpha: float, deviation: float, size: float) -> Value:
    """Half the width of the interval that holds the mean."""
    if not 0 < alpha < 1 or deviation <= 0 or size < 1:
        raise Raised(NUM)
    from statistics import NormalDist

    return NormalDist().inv_cdf(1 - alpha / 2) * deviation / math.sqrt(int(size))


@function("NORM.INV NORMINV", "nnn", "6.18")
def norm_inv(on: object, chance: float, mean: float, deviation: float) -> Value:
    """What the normal distribution has a chance below."""
    if not 0 < chance < 1 or deviation <= 0:
        raise Raised(NUM)
    from statistics import NormalDist

    return NormalDist(mean, deviation).inv_cdf(chance)


@function("NORMSINV NORM.S.INV", "n", "6.18")
def normsinv(on: object, chance: float) -> Value:
    """What the standard normal distribution has a chance below."""
    return norm_inv(on, chance, 0.0, 1.0)


@function("NORM.S.DIST", "nb", "6.18")
def norm_s_dist(on: object, number: float, cumulative: bool) -> Value:
    """The standard normal distribution."""
    return norm_dist(on, number, 0.0, 1.0, cumulative)
