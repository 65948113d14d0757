"""Small linear systems, compiled. numba's own solver would load scipy's linear algebra at every start of a command."""

from __future__ import annotations

import numba as nb

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")


@_jit
def solve(square, right):
    """x (K,) of square @ x = right, by elimination with partial pivoting (Golub and Van Loan, from memory)."""
    a, x = square.copy(), right.copy()
    n = len(x)
    for k in range(n):
        best = k
        for r in range(k + 1, n):
            if abs(a[r, k]) > abs(a[best, k]):
                best = r
        if best != k:
            for c in range(k, n):
                a[k, c], a[best, c] = a[best, c], a[k, c]
            x[k], x[best] = x[best], x[k]
        for r in range(k + 1, n):
            factor = a[r, k] / a[k, k]
            for c in range(k + 1, n):
                a[r, c] -= factor * a[k, c]
            x[r] -= factor * x[k]
    for k in range(n - 1, -1, -1):
        for c in range(k + 1, n):
            x[k] -= a[k, c] * x[c]
        x[k] /= a[k, k]
    return x
