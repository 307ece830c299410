"""Writes reference.csv: Erlang B, C and A with 50 digits, by direct sums and integrals.

Independent of the Rust code: every state is summed in arbitrary precision (mpmath), and Erlang A's
service level is the integral of the virtual wait's density. Run it again with
`pip install mpmath && python3 reference.py > reference.csv`; the seed is fixed.
"""

import random

import mpmath as mp

mp.mp.dps = 50
TINY = mp.mpf(10) ** -45

# Cases by hand: textbook sizes, nearly unstable lines, deep overload, one server, long patience.
BY_HAND = [
    (0.5, 1, 120.0, 60.0, 10.0), (0.5, 3, 120.0, 600.0, 10.0), (1.361, 5, 180.0, 90.0, 20.0),
    (0.9, 1, 180.0, 60.0, 20.0), (1.5, 3, 240.0, 30.0, 0.0), (8.0, 10, 180.0, 120.0, 20.0),
    (12.03, 20, 200.0, 45.0, 15.0), (20.0, 22, 300.0, 180.0, 20.0), (20.0, 15, 300.0, 180.0, 20.0),
    (20.0, 30, 300.0, 180.0, 20.0), (36.7, 40, 415.5, 240.0, 12.5), (37.9, 50, 300.0, 300.0, 10.0),
    (30.0, 29, 180.0, 36000.0, 3600.0), (3.0, 2, 60.0, 5.0, 120.0), (5.0, 1, 600.0, 60.0, 0.0),
    (50.0, 10, 300.0, 30.0, 20.0), (50.0, 60, 300.0, 3600.0, 5.0), (99.5, 100, 180.0, 120.0, 15.0),
    (100.0, 80, 240.0, 120.0, 20.0), (100.0, 130, 240.0, 120.0, 20.0), (400.0, 390, 200.0, 300.0, 30.0),
    (400.0, 420, 240.0, 300.0, 30.0), (1000.0, 1000, 300.0, 180.0, 20.0), (1000.0, 1030, 300.0, 180.0, 20.0),
    (9600.0, 10000, 300.0, 180.0, 20.0), (10000.0, 10000, 300.0, 180.0, 20.0),
    (10000.0, 10001, 300.0, 180.0, 20.0), (10000.0, 10200, 300.0, 180.0, 20.0),
    (10000.0, 9000, 300.0, 180.0, 20.0), (10000.0, 5000, 300.0, 600.0, 900.0),
    (12000.0, 9000, 300.0, 180.0, 20.0), (0.01, 8, 60.0, 30.0, 10.0), (0.05, 4, 60.0, 30.0, 10.0),
]


def by_chance(count):
    random.seed(20261124)
    for _ in range(count):
        erlangs = random.choice([
            10 ** random.uniform(-2, 0.7), random.uniform(1, 100), random.uniform(100, 2000), random.uniform(2000, 10000),
        ])
        spread = random.choice([-8, -3, -1, 0, 0.5, 1, 2, 4]) + random.random()
        servers = max(1, int(erlangs + spread * erlangs ** 0.5))
        handle = round(random.choice([30, 180, 300, 600]) * random.uniform(0.5, 2), 2)
        patience = round(10 ** random.uniform(0.3, 3.6), 2)
        yield round(erlangs, 4), servers, handle, patience, float(random.choice([0, 1, 10, 20, 60, 600]))


def below_full(erlangs, servers):
    """Weight of the states with an idle server, in units of the state "all busy, nobody waits"."""
    term, total = mp.mpf(1), mp.mpf(0)
    for busy in range(servers, 0, -1):
        term = term * busy / erlangs
        total += term
        if busy < erlangs and term < total * TINY:
            break
    return total


def erlang_c(erlangs, servers, handle, within, below):
    if servers <= erlangs:
        return ["", "", ""]
    full = servers / (servers - erlangs)
    wait = full / (below + full)
    level = below / (below + full) - wait * mp.expm1(-(servers - erlangs) * within / handle)
    return [wait, level, wait * handle / (servers - erlangs)]


def erlang_a(erlangs, servers, handle, patience, within, below):
    c, s = erlangs / handle * patience, servers * patience / handle
    weight, full, waiting, answered_of_line, waiting_to_be_answered, line = mp.mpf(1), mp.mpf(1), mp.mpf(0), mp.mpf(0), mp.mpf(0), 0
    while True:
        line += 1
        weight = weight * c / (s + line)
        full += weight
        waiting += weight * line
        answered_of_line += s / (s + line)
        waiting_to_be_answered += weight * answered_of_line
        if s + line > c and weight * line < waiting * TINY:
            break
    total = below + full
    abandonment = waiting / total / c
    busy = erlangs * (1 - abandonment)
    density = lambda z: mp.exp(c * (1 - mp.exp(-z)) - (s + 1) * z)
    until = within / patience
    peak = mp.log(c / (s + 1)) if c > s + 1 else mp.mpf(0)
    width = 1 / mp.sqrt(max(c, s + 1))
    steps = {peak + k * width for k in (-30, -20, -12, -8, -4, -2, -1, 0, 1, 2, 4, 8, 12, 20, 30, 60, 120)}
    steps |= {mp.mpf(k) * 40 / (s + 1) for k in (0.05, 0.2, 0.5, 1, 2)}
    points = [mp.mpf(0)] + sorted(z for z in steps if 0 < z < until) + [until]
    answered = s * mp.quad(density, points, maxdegree=9) if until > 0 else mp.mpf(0)
    return [full / total, abandonment, waiting_to_be_answered / total * handle / busy, busy / servers, (below + answered) / total]


print(
    "erlangs,servers,handle_secs,patience_secs,within_secs,b_blocking,c_wait,c_level,c_answer_secs,"
    "a_wait,a_abandonment,a_answer_secs,a_occupancy,a_level"
)
for case in BY_HAND + list(by_chance(170)):
    erlangs, servers, handle, patience, within = case
    exact = [mp.mpf(erlangs), servers, mp.mpf(handle), mp.mpf(patience), mp.mpf(within)]
    below = below_full(exact[0], servers)
    figures = [1 / (1 + below)]
    figures += erlang_c(exact[0], servers, exact[2], exact[4], below)
    figures += erlang_a(*exact, below)
    print(",".join([*map(repr, case), *(each if each == "" else mp.nstr(each, 17) for each in figures)]))
