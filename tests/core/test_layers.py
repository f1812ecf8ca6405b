"""Things that need each other, in layers."""

from __future__ import annotations

import hypothesis.strategies as st
from hypothesis import given

from datorum.core.layers import layers

TERMS, USERS, PRODUCTS, CUSTOMERS, ORDERS, COMMENTS = range(1, 7)


def test_each_stands_behind_all_that_it_needs_and_no_further() -> None:
    found = layers(
        {ORDERS: {CUSTOMERS, PRODUCTS}, TERMS: (), PRODUCTS: {TERMS}, CUSTOMERS: (), COMMENTS: {ORDERS}, USERS: ()}
    )
    assert found.rows == [[TERMS, CUSTOMERS, USERS], [PRODUCTS], [ORDERS], [COMMENTS]]
    assert not found.later


def test_what_nobody_brings_and_what_one_needs_of_itself_hold_nothing_up() -> None:
    assert layers({TERMS: {TERMS, 99}}).layer == {TERMS: 0}


def test_a_circle_is_broken_where_the_fewest_wait_and_told() -> None:
    # Customers need products and orders; orders customers alone, and so go first.
    found = layers({CUSTOMERS: {ORDERS, PRODUCTS}, ORDERS: {CUSTOMERS}, PRODUCTS: {ORDERS}, COMMENTS: {CUSTOMERS}})
    assert found.later == {(ORDERS, CUSTOMERS)}
    assert found.rows == [[ORDERS], [PRODUCTS], [CUSTOMERS], [COMMENTS]]


def test_what_only_waits_for_a_circle_does_not_break_it() -> None:
    found = layers({COMMENTS: {CUSTOMERS}, CUSTOMERS: {ORDERS}, ORDERS: {CUSTOMERS}})
    assert found.later == {(CUSTOMERS, ORDERS)}
    assert found.rows == [[CUSTOMERS], [COMMENTS, ORDERS]]


def test_a_circle_is_broken_where_one_can_do_without_at_first() -> None:
    circle = {CUSTOMERS: {ORDERS}, ORDERS: {CUSTOMERS}}
    assert layers(circle, firm={(CUSTOMERS, ORDERS)}).later == {(ORDERS, CUSTOMERS)}
    assert layers(circle, firm={(ORDERS, CUSTOMERS)}).later == {(CUSTOMERS, ORDERS)}


@given(st.dictionaries(st.integers(0, 9), st.sets(st.integers(0, 12), max_size=6), max_size=10))
def test_all_have_a_layer_behind_what_they_need_but_for_what_is_told(needs: dict[int, set[int]]) -> None:
    found = layers(needs)
    assert found.layer.keys() == needs.keys()
    for one, others in needs.items():
        for other in others & needs.keys() - {one}:
            assert (one, other) in found.later or found.layer[other] < found.layer[one]
    for one, other in found.later:
        assert other in needs[one]
