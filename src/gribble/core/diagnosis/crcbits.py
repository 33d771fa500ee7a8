"""Finding one flipped bit from the difference of two CRC-32s, without trying bits one by one.

CRC-32 is linear: the CRCs of two contents of one length differ by a value that depends only on where the contents
differ. For one bit it is a power of x in GF(2)[x]/P, P being the CRC's polynomial. P is primitive, so each power up to
2^32 - 1 occurs once, and the place of the bit is a discrete logarithm. The order of x, 2^32 - 1 = 3 * 5 * 17 * 257 *
65537, is a product of small primes, so the method of Pohlig and Hellman finds it in some thousand multiplications,
however long the content. Sources: ISO 3309 (the CRC); S. Pohlig and M. Hellman, "An Improved Algorithm for Computing
Logarithms over GF(p)", IEEE Transactions on Information Theory 24 (1978). docs/diagnosis.md has the derivation.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

_POLYNOMIAL = 0xEDB88320  # bit 31 is the coefficient of 1, bit 0 that of x^31, as CRC-32 is usually computed
_ONE = 0x80000000
_X = 0x40000000
ORDER = 2**32 - 1
_PRIMES = (3, 5, 17, 257, 65537)


def flipped_bit(length: int, had: int, wanted: int) -> int | None:
    """The one bit to flip so that a content with CRC-32 `had` gets CRC-32 `wanted`, or None where no single bit does.

    `length` is in bytes. Bits are numbered from the first byte's lowest one: bit n is bit n % 8 of byte n // 8.
    Contents of 512 MiB and more have several such bits; the last one is given.
    """
    difference = had ^ wanted
    if difference == 0 or length == 0:
        return None
    # A flipped bit b of the byte that lies j bytes before the end makes a difference of x^(39 - b + 8j).
    exponent = (_logarithm(difference) - 32) % ORDER
    from_end, bit = exponent // 8, 7 - exponent % 8
    return (length - 1 - from_end) * 8 + bit if from_end < length else None


def _times(a: int, b: int) -> int:
    """The product of two polynomials modulo P."""
    product = 0
    while b:
        if b & _ONE:
            product ^= a
        b = b << 1 & 0xFFFFFFFF
        a = a >> 1 ^ (_POLYNOMIAL if a & 1 else 0)
    return product


_Table = tuple[list[int], list[int], list[int], list[int]]


def _table(map_: Callable[[int], int]) -> _Table:
    """A linear map as four tables of its values, one for each byte of the argument."""
    tables: list[list[int]] = []
    for byte in range(4):
        values = [0]
        for bit in range(8):
            image = map_(1 << 8 * byte + bit)
            values += [value ^ image for value in values]
        tables.append(values)
    return tables[0], tables[1], tables[2], tables[3]


def _apply(table: _Table, value: int) -> int:
    one, two, three, four = table
    return one[value & 255] ^ two[value >> 8 & 255] ^ three[value >> 16 & 255] ^ four[value >> 24]


@cache
def _squares() -> _Table:
    """Squaring, which is linear where 1 + 1 = 0."""
    return _table(lambda value: _times(value, value))


def _power(base: int, exponent: int) -> int:
    squares, result = _squares(), _ONE
    while exponent:
        if exponent & 1:
            result = _times(result, base)
        base = _apply(squares, base)
        exponent >>= 1
    return result


def _logarithm(value: int) -> int:
    """The k below 2^32 - 1 with x^k = value, from its remainders modulo each prime (Chinese remainder theorem)."""
    total = 0
    for prime in _PRIMES:
        cofactor = ORDER // prime
        remainder = _small_logarithm(prime, _power(value, cofactor))
        total += remainder * cofactor * pow(cofactor, -1, prime)
    return total % ORDER


def _small_logarithm(prime: int, value: int) -> int:
    """The logarithm in the subgroup of a prime order, by baby steps and giant steps."""
    steps, giant, width = _baby_steps(prime)
    for turn in range(width + 1):
        if value in steps:
            return (turn * width + steps[value]) % prime
        value = _apply(giant, value)
    raise AssertionError("x generates every nonzero element")


@cache
def _baby_steps(prime: int) -> tuple[dict[int, int], _Table, int]:
    """Powers of the subgroup's generator, the giant step backwards, and its width."""
    generator = _power(_X, ORDER // prime)
    width = int(prime**0.5) + 1
    steps: dict[int, int] = {}
    power = _ONE
    for number in range(width):
        steps.setdefault(power, number)
        power = _times(power, generator)
    backwards = _power(power, prime - 1)
    return steps, _table(lambda value: _times(value, backwards)), width
