"""Writes families.csv: every model beyond plain Erlang B, C and A, computed another way.

Closed forms and single chains with 40 digits (mpmath) from their own textbook sums; chains over two
numbers and days by dense linear algebra and matrix exponentials (numpy, scipy). Nothing is shared
with the Rust code. Run it again with `pip install mpmath numpy scipy && python3 families.py >
families.csv`. One line per case: family | inputs | outputs.
"""

import mpmath as mp
import numpy as np
from scipy.linalg import expm

mp.mp.dps = 40


def write(family, inputs, outputs):
    cell = lambda each: "" if each is None else (each if isinstance(each, str) else repr(float(each)) if isinstance(each, (float, np.floating)) else str(each) if isinstance(each, int) else mp.nstr(each, 20))
    print("|".join([family, ",".join(map(cell, inputs)), ",".join(map(cell, outputs))]))


def blocking(a, n):
    inverse = mp.mpf(1)
    for k in range(1, n + 1):
        inverse = 1 + mp.mpf(k) / a * inverse
    return 1 / inverse


# Lines and loads for a blocking.
for a, b in [(0.001, 0.01), (1.361, 0.01), (4.461, 0.0101), (12.03, 0.01), (37.9, 0.002), (200.0, 0.001), (5000.0, 0.01), (11000.0, 1e-6), (50.0, 0.9)]:
    n, inverse = 0, mp.mpf(1)
    while 1 / inverse > mp.mpf(b):
        n += 1
        inverse = 1 + mp.mpf(n) / mp.mpf(a) * inverse
    write("lines", [a, b], [n])
for n, b in [(1, 0.01), (5, 0.01), (20, 0.001), (100, 0.02), (1000, 0.5), (3, 0.999999), (2, 1e-12), (12000, 0.01), (50, 0.2)]:
    top = n / (1 - b) + 1
    low, high = mp.mpf(10) ** -30, mp.mpf(top)
    for _ in range(110):
        middle = mp.sqrt(low * high) if high / low > 2 else (low + high) / 2
        if blocking(middle, n) < b:
            low = middle
        else:
            high = middle
    write("load", [n, b], [low])
for a, n, r in [(10.0, 12, 0.5), (10.0, 10, 0.9), (20.0, 10, 0.7), (9.0, 10, 1.0), (0.5, 1, 0.3), (300.0, 310, 0.8), (1000.0, 900, 0.4), (5.0, 6, 0.0)]:
    low, high = mp.mpf(a), mp.mpf(a) * 1000
    tries = lambda e: e * (1 - r * blocking(e, n))
    for _ in range(120):
        middle = (low + high) / 2
        if tries(middle) < a:
            low = middle
        else:
            high = middle
    b = blocking(low, n)
    write("redial-b", [a, n, r], [low, b, (1 - mp.mpf(r)) * b * low / a])


def in_time(s, j, theta, served, t):
    """Chance to be answered within t behind j others, and to have to wait at most t if patient."""
    if t == 0:
        return mp.mpf(0), mp.mpf(0)
    if theta == 0:
        return (mp.gammainc(j + 1, 0, served * t, regularized=True),) * 2
    x = mp.exp(-theta * t)
    reached = s / (s + j + 1) * (1 - mp.betainc(s + 1, j + 1, 0, x, regularized=True))
    virtual = 1 - mp.betainc(s, j + 1, 0, x, regularized=True)
    return reached, virtual


def station(lam, rates, served, theta, places, t, short):
    """A birth-death chain with departure rates[k] for k present below full, and its line."""
    full = len(rates)
    weights = [mp.mpf(1)]
    for k in range(full):
        weights.append(weights[-1] * lam / rates[k])
    line = [weights[-1]]
    j = 0
    while places is None or j < places:
        j += 1
        line.append(line[-1] * lam / (served + j * theta))
        if places is None and line[-1] < line[0] * mp.mpf(10) ** -38 and served + j * theta > lam:
            break
    below = weights[:-1]
    total = sum(below) + sum(line)
    at_once = sum(below) / total
    blocked = line[-1] / total if places is not None else mp.mpf(0)
    let_in = line[:-1] if places is not None else line
    waiting = sum(k * w for k, w in enumerate(line)) / total
    abandonment = theta * waiting / lam
    s = served / theta if theta else mp.mpf(0)
    answered_waits, lost_waits, soon, gone = mp.mpf(0), mp.mpf(0), mp.mpf(0), mp.mpf(0)
    answered_of_line = lost_of_line = mp.mpf(0)
    for k, w in enumerate(line):
        if k:
            answered_of_line += served / (served + k * theta)
            lost_of_line += k * theta / (served + k * theta)
        answered_waits += w * answered_of_line / total
        lost_waits += w * lost_of_line / total
    for k, w in enumerate(let_in):
        soon += w / total * in_time(s, k, theta, served, t)[0]
        if theta:
            reached, virtual = in_time(s, k, theta, served, short)
            # gone within t: gave up before being reached, or still unreached then and out of patience
            gone += w / total * ((virtual - reached) + (1 - mp.exp(-theta * short)) * (1 - virtual))
    answered = 1 - blocked - abandonment
    level = at_once + soon
    busy_below = below, weights
    return {
        "blocked": blocked, "wait": sum(let_in) / total, "answered": answered, "abandonment": abandonment,
        "answer_secs": answered_waits / lam / answered, "abandon_secs": lost_waits / lam / abandonment if abandonment else mp.mpf(0),
        "waiting": waiting, "level": level, "less_short": level / (1 - gone), "of_answered": level / answered,
        "below": [w / total for w in below], "full": sum(line) / total,
    }


def call_center(a, n, h, places, patience, t, short):
    lam, theta = mp.mpf(a) / h, (1 / mp.mpf(patience) if patience else mp.mpf(0))
    got = station(lam, [mp.mpf(k) / h for k in range(1, n + 1)], mp.mpf(n) / h, theta, places, mp.mpf(t), mp.mpf(short))
    busy = sum(k * p for k, p in enumerate(got["below"])) + n * got["full"]
    return [got[k] for k in ("blocked", "wait", "answered", "abandonment", "answer_secs", "abandon_secs", "waiting", "level", "less_short", "of_answered")] + [busy / n]


for case in [
    (20.0, 22, 300.0, 10, 180.0, 20.0, 5.0), (20.0, 22, 300.0, 10, None, 20.0, 5.0), (8.0, 10, 180.0, 3, 60.0, 10.0, 5.0),
    (15.0, 10, 180.0, 30, None, 60.0, 5.0), (15.0, 10, 180.0, 30, 240.0, 60.0, 10.0), (100.0, 90, 240.0, 40, 120.0, 15.0, 5.0),
    (5.0, 8, 200.0, 0, 60.0, 10.0, 5.0), (0.2, 1, 60.0, 5, 30.0, 0.0, 0.0), (50.0, 60, 300.0, 200, 3600.0, 20.0, 5.0),
    (300.0, 310, 240.0, 150, 90.0, 20.0, 5.0), (2.0, 1, 60.0, 100, 5.0, 600.0, 2.0), (9.0, 9, 300.0, 50, None, 30.0, 5.0),
    (20.0, 22, 300.0, None, 180.0, 20.0, 5.0), (30.0, 20, 300.0, None, 60.0, 20.0, 10.0), (100.0, 110, 200.0, None, 300.0, 20.0, 5.0),
    (0.5, 2, 120.0, None, 30.0, 10.0, 5.0), (60.0, 40, 180.0, None, 400.0, 300.0, 20.0), (8.0, 10, 180.0, None, None, 20.0, 5.0),
]:
    write("places", case, call_center(*case))

for lam_per_h, n, k, alone, slow, places, patience, t in [
    (60.0, 5, 3, 400.0, 0.3, None, 120.0, 30.0), (60.0, 4, 2, 300.0, 0.5, 10, None, 30.0), (200.0, 12, 4, 500.0, 0.25, None, 60.0, 20.0),
    (20.0, 2, 1, 300.0, 0.0, None, 90.0, 20.0), (90.0, 6, 3, 600.0, 0.6, 20, 200.0, 60.0), (10.0, 8, 3, 400.0, 0.3, None, 60.0, 10.0), (500.0, 30, 3, 420.0, 0.2, None, None, 20.0),
]:
    def pace(chats):
        each, more = divmod(chats, n)
        of = lambda held: mp.mpf(held) / (mp.mpf(alone) * (1 + mp.mpf(slow) * (held - 1))) if held else mp.mpf(0)
        return (n - more) * of(each) + more * of(each + 1)
    rates = [pace(c) for c in range(1, n * k + 1)]
    lam = mp.mpf(lam_per_h) / 3600
    got = station(lam, rates, rates[-1], 1 / mp.mpf(patience) if patience else mp.mpf(0), places, mp.mpf(t), mp.mpf(0))
    chats = sum(c * p for c, p in enumerate(got["below"])) + n * k * got["full"]
    busy = sum(min(c, n) * p for c, p in enumerate(got["below"])) + n * got["full"]
    write("chat", [lam_per_h, n, k, alone, slow, places, patience, t],
          [got[key] for key in ("blocked", "wait", "answered", "abandonment", "answer_secs", "level")] + [busy / n, chats])


def general(a, n, h, kind, parameters, t, short):
    lam, mu = mp.mpf(a) / h, 1 / mp.mpf(h)
    p = [mp.mpf(each) for each in parameters]
    if kind == "exponential":
        tail, kinks = lambda x: mp.exp(-x / p[0]), []
    elif kind == "hyperexponential":
        tail, kinks = lambda x: p[0] * mp.exp(-x / p[1]) + (1 - p[0]) * mp.exp(-x / p[2]), []
    elif kind == "weibull":
        scale = p[1] / mp.gamma(1 + 1 / p[0])
        tail, kinks = lambda x: mp.exp(-((x / scale) ** p[0])), []
    elif kind == "lognormal":
        variance = mp.log(1 + p[1] ** 2)
        tail, kinks = lambda x: mp.erfc((mp.log(x) - mp.log(p[0]) + variance / 2) / mp.sqrt(2 * variance)) / 2 if x > 0 else mp.mpf(1), []
    else:
        tail, kinks = lambda x: mp.mpf(1) if x < p[0] else mp.mpf(0), [p[0]]
    def patient(x):
        if kind == "exponential":
            return p[0] * (1 - mp.exp(-x / p[0]))
        if kind == "hyperexponential":
            return p[0] * p[1] * (1 - mp.exp(-x / p[1])) + (1 - p[0]) * p[2] * (1 - mp.exp(-x / p[2]))
        if kind == "constant":
            return min(x, p[0])
        if kind == "weibull":
            return scale / p[0] * mp.gammainc(1 / p[0], 0, (x / scale) ** p[0])
        if x == 0:
            return mp.mpf(0)
        s = mp.sqrt(variance)
        return p[0] * mp.erfc((mp.log(p[0]) - variance / 2 + variance - mp.log(x)) / s / mp.sqrt(2)) / 2 + x * tail(x)
    below, term = mp.mpf(1), mp.mpf(1)
    for k in range(n - 1, 0, -1):
        term *= k / mp.mpf(a)
        below += term
    density = lambda x: lam * mp.exp(lam * patient(x) - n * mu * x)
    width = 1 / (n * mu)
    grid = sorted({mp.mpf(0), *kinks, *(width * step for step in (mp.mpf("1e-6"), mp.mpf("1e-3"), mp.mpf("0.05"), mp.mpf("0.3"), 1, 2, 4, 7, 11, 16, 24, 36, 50, 70, 100, 140, 200, 300, 500, 900, 1500, 3000))})
    def over(f, low=mp.mpf(0), high=mp.inf):
        points = [low] + [g for g in grid if low < g < high] + ([high] if high != mp.inf else [])
        return mp.quad(lambda x: density(x) * f(x), points) if len(points) > 1 else mp.mpf(0)
    with mp.workdps(25):
        all_waits = over(lambda x: mp.mpf(1))
        total = below + all_waits
        answered = (below + over(tail)) / total
        abandonment = over(lambda x: 1 - tail(x)) / total
        level = (below + over(tail, mp.mpf(0), mp.mpf(t))) / total
        waited = over(patient) / total
        by_answered = over(lambda x: x * tail(x)) / total
        gone = (over(lambda x: 1 - tail(x), mp.mpf(0), mp.mpf(short)) + (1 - tail(mp.mpf(short))) * over(lambda x: mp.mpf(1), mp.mpf(short))) / total
        return [all_waits / total, answered, abandonment, by_answered / answered, waited, level, level / (1 - gone)]


for case in [
    (20.0, 22, 300.0, "exponential", (180.0,), 20.0, 5.0), (20.0, 22, 300.0, "hyperexponential", (0.3, 10.0, 400.0), 20.0, 5.0),
    (30.0, 25, 240.0, "hyperexponential", (0.5, 30.0, 300.0), 30.0, 10.0), (20.0, 22, 300.0, "weibull", (0.7, 180.0), 20.0, 5.0),
    (20.0, 20, 300.0, "weibull", (2.5, 120.0), 20.0, 5.0), (12.0, 10, 180.0, "lognormal", (90.0, 1.3), 20.0, 5.0),
    (50.0, 55, 240.0, "lognormal", (200.0, 0.8), 20.0, 5.0), (8.0, 9, 200.0, "constant", (60.0,), 20.0, 5.0), (12.0, 9, 200.0, "constant", (45.0,), 30.0, 10.0),
    (0.8, 1, 180.0, "weibull", (1.5, 60.0), 15.0, 5.0),
]:
    a, n, h, kind, parameters, t, short = case
    write("patience", [a, n, h, kind, *(list(parameters) + [None] * (3 - len(parameters))), t, short], general(*case))


def steady(rates):
    """Steady state of a dense rate matrix."""
    q = rates - np.diag(rates.sum(axis=1))
    a = np.vstack([q.T, np.ones(len(q))])
    return np.linalg.lstsq(a, np.append(np.zeros(len(q)), 1.0), rcond=None)[0]


# Hunting from the top: every subset of busy members, and the line behind them.
for load, n, h, line, patience in [(3.0, 4, 180.0, 0, None), (3.0, 4, 180.0, 12, None), (2.0, 3, 120.0, 30, 60.0), (6.0, 5, 200.0, 40, 90.0), (0.7, 2, 100.0, 0, None)]:
    lam, mu, theta = load / h, 1 / h, 1 / patience if patience else 0.0
    full = 2**n - 1
    rates = np.zeros((full + 1 + line, full + 1 + line))
    for state in range(full + 1):
        free = next((i for i in range(n) if not state >> i & 1), None)
        if free is not None:
            rates[state, state | 1 << free] += lam
        elif line:
            rates[state, full + 1] += lam
        for i in range(n):
            if state >> i & 1:
                rates[state, state ^ 1 << i] += mu
    for j in range(1, line + 1):
        rates[full + j, full + j - 1] += n * mu + j * theta
        if j < line:
            rates[full + j, full + j + 1] += lam
    shares = steady(rates)
    waits = shares[full + 1:].sum()
    write("hunting", [load, n, h, line, patience], [float(sum(shares[s] for s in range(full + 1) if s >> i & 1) + waits) for i in range(n)])

# Two classes: all of (busy below full) and (urgent, others) in line, and a marked contact's fate.
for load1, load2, n, h, patience1, patience2, t, most1, most2 in [
    (3.0, 4.0, 8, 180.0, 60.0, 120.0, 20.0, 22, 40), (2.0, 2.5, 4, 120.0, 30.0, 60.0, 30.0, 22, 40), (1.0, 0.3, 2, 100.0, 100.0, 20.0, 10.0, 26, 30), (2.0, 3.0, 8, 180.0, None, None, 20.0, 18, 46),
]:
    lam1, lam2, mu = load1 / h, load2 / h, 1 / h
    th1, th2 = (1 / patience1, 1 / patience2) if patience1 else (0.0, 0.0)
    width = most1 + 1
    at = lambda q1, q2: n + q2 * width + q1
    size = n + width * (most2 + 1)
    rates = np.zeros((size, size))
    for k in range(n):
        rates[k, k + 1] += lam1 + lam2
        if k:
            rates[k, k - 1] += k * mu
    rates[at(0, 0), n - 1] += n * mu
    for q1 in range(most1 + 1):
        for q2 in range(most2 + 1):
            if q1 < most1:
                rates[at(q1, q2), at(q1 + 1, q2)] += lam1
            if q2 < most2:
                rates[at(q1, q2), at(q1, q2 + 1)] += lam2
            if q1:
                rates[at(q1, q2), at(q1 - 1, q2)] += n * mu + q1 * th1
            if q2:
                rates[at(q1, q2), at(q1, q2 - 1)] += q2 * th2 + (n * mu if q1 == 0 else 0)
    shares = steady(rates)
    wait = shares[n:].sum()
    mean1 = sum(q1 * shares[at(q1, q2)] for q1 in range(width) for q2 in range(most2 + 1))
    mean2 = sum(q2 * shares[at(q1, q2)] for q1 in range(width) for q2 in range(most2 + 1))
    # A marked other: states (urgent, others ahead), then answered.
    marked = np.zeros((width * (most2 + 1) + 1,) * 2)
    m = lambda q1, ahead: ahead * width + q1
    done = width * (most2 + 1)
    for q1 in range(width):
        for ahead in range(most2 + 1):
            s = m(q1, ahead)
            leave = th2
            if q1 < most1:
                marked[s, m(q1 + 1, ahead)] += lam1
            if q1:
                marked[s, m(q1 - 1, ahead)] += n * mu + q1 * th1
            else:
                marked[s, m(0, ahead - 1) if ahead else done] += n * mu
            if ahead:
                marked[s, m(q1, ahead - 1)] += ahead * th2
            marked[s, s] -= marked[s].sum() + leave
    first = np.zeros(len(marked))
    for q1 in range(width):
        for q2 in range(most2 + 1):
            first[m(q1, q2)] = shares[at(q1, q2)]
    level2 = shares[:n].sum() + (first @ expm(marked * t))[done]
    single = np.zeros((width + 1, width + 1))
    for ahead in range(width):
        single[ahead, ahead - 1 if ahead else width] += n * mu + ahead * th1
        single[ahead, ahead] -= n * mu + ahead * th1 + th1
    line1 = np.append([sum(shares[at(q1, q2)] for q2 in range(most2 + 1)) for q1 in range(width)], 0.0)
    level1 = shares[:n].sum() + (line1 @ expm(single * t))[width]
    # Mean wait of the answered others: expected time until done, by marked chain's inverse.
    inner = marked[:done, :done]
    chance = np.linalg.solve(-inner, marked[:done, done])
    timed = np.linalg.solve(-inner, chance)
    answered2 = shares[:n].sum() + first[:done] @ chance
    write("priority", [load1, load2, n, h, patience1, patience2, t],
          [float(v) for v in (wait, th1 * mean1 / lam1, th2 * mean2 / lam2, mean1 / lam1, mean2 / lam2, level1, level2, first[:done] @ timed / answered2)])

# Redial: (in the system, about to call again).
for load, n, h, places, patience, r, after, t, most, again in [
    (4.0, 5, 180.0, None, 60.0, 0.5, 300.0, 20.0, 28, 26), (3.0, 3, 120.0, 4, 90.0, 0.7, 120.0, 15.0, 7, 40), (5.0, 4, 100.0, 0, None, 0.6, 200.0, 10.0, 4, 60), (1.5, 2, 200.0, 3, None, 0.9, 60.0, 30.0, 5, 40),
]:
    lam, mu, theta, back = load / h, 1 / h, 1 / patience if patience else 0.0, 1 / after
    at = lambda k, m: m * (most + 1) + k
    size = (most + 1) * (again + 1)
    rates = np.zeros((size, size))
    for k in range(most + 1):
        for m in range(again + 1):
            s, stays = at(k, m), m < again
            lost = max(k - n, 0) * theta
            if k < most:
                rates[s, at(k + 1, m)] += lam
                if m:
                    rates[s, at(k + 1, m - 1)] += m * back
            else:
                if stays:
                    rates[s, at(k, m + 1)] += lam * r
                if m:
                    rates[s, at(k, m - 1)] += m * back * (1 - r)
            if k:
                rates[s, at(k - 1, m)] += min(k, n) * mu + lost * ((1 - r) if stays else 1)
                if stays:
                    rates[s, at(k - 1, m + 1)] += lost * r
    shares = steady(rates)
    line = most - n
    single = np.zeros((line + 2, line + 2))
    for ahead in range(line + 1):
        single[ahead, ahead - 1 if ahead else line + 1] += n * mu + ahead * theta
        single[ahead, ahead] -= n * mu + ahead * theta + theta
    reached = expm(single * t)[:, line + 1]
    calls = blocked = waits = level = lost = 0.0
    for k in range(most + 1):
        for m in range(again + 1):
            rate = shares[at(k, m)] * (lam + m * back)
            calls += rate
            lost += shares[at(k, m)] * max(k - n, 0) * theta
            if places is not None and k == n + places:
                blocked += rate
            elif k >= n:
                waits += rate
                level += rate * reached[k - n]
            else:
                level += rate
    busy = sum(shares[at(k, m)] * min(k, n) for k in range(most + 1) for m in range(again + 1))
    write("redial", [load, n, h, places, patience, r, after, t], [float(v) for v in (calls / lam, busy * mu / lam, blocked / calls, waits / calls, lost / calls, level / calls, busy / n)])

# A day: states (busy, waiting) with more busy than planned after a drop; exact piecewise exponentials.
for patience, t, plan in [
    (120.0, 20.0, [(600.0, 0.02, 180.0, 5), (600.0, 0.035, 180.0, 7), (600.0, 0.03, 200.0, 4), (600.0, 0.01, 180.0, 3)]),
    (None, 30.0, [(900.0, 0.03, 150.0, 6), (300.0, 0.05, 150.0, 4), (900.0, 0.01, 150.0, 2)]),
    (60.0, 400.0, [(300.0, 0.04, 120.0, 6), (200.0, 0.05, 120.0, 3), (300.0, 0.02, 120.0, 5)]),
    (90.0, 15.0, [(1200.0, 0.0, 180.0, 2), (1200.0, 0.03, 180.0, 0), (1200.0, 0.03, 180.0, 9)]),
]:
    theta = 1 / patience if patience else 0.0
    most_busy, line = max(p[3] for p in plan), 40
    states = [(b, q) for b in range(most_busy + 1) for q in range(line + 1)]
    number = {s: i for i, s in enumerate(states)}
    def generator(stretch, marked=False):
        secs, lam, h, n = stretch
        g = np.zeros((len(states) + 2, len(states) + 2))
        for (b, q), i in number.items():
            moves = []
            if b < n and q == 0:
                moves.append(((b + 1, 0), lam))
            elif q < line:
                moves.append(((b, q + 1), lam))
            if b:
                moves.append(((b - 1, q) if q == 0 or b > n else (b, q - 1), b / h))
            if q:
                moves.append(((b, q - 1), q * theta))
            for target, rate in moves:
                g[i, number[target]] += rate
                g[i, i] -= rate
        return g
    def staffed(p, n):
        out = np.zeros_like(p)
        for (b, q), i in number.items():
            more = min(q, max(n - b, 0))
            out[number[(b + more, q - more)]] += p[i]
        return out
    # The chance to be answered in time for a contact with `ahead` before it while `busy` are busy.
    ways = [(b, j) for b in range(most_busy + 1) for j in range(line + 1)]
    index = {s: i for i, s in enumerate(ways)}
    def fate(stretch):
        secs, lam, h, n = stretch
        g = np.zeros((len(ways) + 1, len(ways) + 1))
        done = len(ways)
        for (b, j), i in index.items():
            if b < n:
                continue
            if b > n:
                g[i, index[(b - 1, j)]] += b / h
            elif b:
                g[i, index[(b, j - 1)] if j else done] += b / h
            if j:
                g[i, index[(b, j - 1)]] += j * theta
            g[i, i] -= g[i].sum() + theta
        return g
    def meets(value, n):
        """Chances just before the staff becomes n."""
        out = value.copy()
        for (b, j), i in index.items():
            if n > b:
                taken = n - b
                out[i] = 1.0 if j < taken else value[index[(n, j - taken)]]
        return out
    fates = [fate(stretch) for stretch in plan]
    def chance(stage, left_in_stage, t):
        value = np.zeros(len(ways) + 1)
        value[-1] = 1.0
        spans, at, left = [], stage, t
        room = left_in_stage
        while left > 0:
            last = at + 1 == len(plan)
            span = left if last else min(left, room)
            spans.append((at, span))
            left -= span
            at += 1
            if at < len(plan):
                room = plan[at][0]
        for k in range(len(spans) - 1, -1, -1):
            if k < len(spans) - 1:
                value = meets(value, plan[spans[k + 1][0]][3])
            value = over_time(('fate', spans[k][0]), fates[spans[k][0]], spans[k][1]) @ value
        return value
    nodes, weights = np.polynomial.legendre.leggauss(8)
    known = {}
    def over_time(stage, g, secs):
        key = (stage, round(secs, 9))
        if key not in known:
            known[key] = expm(g * secs)
        return known[key]
    p = np.zeros(len(states) + 2)
    p[0] = 1.0
    for stage, (secs, lam, h, n) in enumerate(plan):
        p = staffed(p, n)
        g = generator(plan[stage])
        breaks, away = {0.0, secs}, 0.0
        for later in range(stage, len(plan) - 1):
            away += plan[later][0]
            if 0 < away - t < secs:
                breaks.add(away - t)
        steps = sorted(breaks)
        # Finer pieces, so that eight nodes are exact enough.
        pieces = [x for a, b in zip(steps, steps[1:]) for x in np.linspace(a, b, max(2, int((b - a) / 60) + 2))[:-1]] + [secs]
        level = mean_waiting = 0.0
        now, time = p, 0.0
        homogeneous = chance(len(plan) - 1, 0, t) if stage == len(plan) - 1 else None
        whole = expm(fates[stage] * t) @ np.append(np.zeros(len(ways)), 1.0)
        for low, high in zip(pieces, pieces[1:]):
            for node, weight in zip(nodes, weights):
                moment = (low + high) / 2 + (high - low) / 2 * node
                now = now @ over_time(stage, g, moment - time)
                time = moment
                value = whole if stage == len(plan) - 1 or moment + t <= secs else chance(stage, secs - moment, t)
                got = sum(now[i] * (1.0 if b < n else value[index[(b, q)]]) for (b, q), i in number.items() if now[i] > 1e-14)
                level += weight * (high - low) / 2 * got / secs
                mean_waiting += weight * (high - low) / 2 * sum(q * now[i] for (b, q), i in number.items()) / secs
        p = p @ expm(g * secs)
        write("day", [patience, t, stage] + [x for s in plan for x in s], [level, mean_waiting, float(sum((b + q) * p[i] for (b, q), i in number.items()))])
