"""Reading what things cost, of a variant, a runner or the machine, and in which currency."""

from unvek.core.plan.price import HOURS_PER_DAY, Price
from unvek.core.plan.reading.door import Table
from unvek.core.plan.reading.quoting import shown
from unvek.core.units import NO_CURRENCY, is_currency

MOST_MONEY, MOST_YEARS = 1e12, 100
CURRENCY_WANTED = 'three capital letters, such as "EUR" (ISO 4217), or a sign such as "€"'
PRICE_WANTED = "per_hour, per_million_in, per_million_out, per_kwh, or once with years, such as { per_hour = 0.4 }"


def read_price(table: Table) -> Price | None:
    """Read `price` of a table; None where it has none."""
    if not table.has("price"):
        return None
    entry = table.table("price")
    amounts = {
        name: entry.number_or_none(name, 0.0, MOST_MONEY)
        for name in ("per_hour", "per_million_in", "per_million_out", "once", "per_kwh")
    }
    price = Price(
        **amounts,
        years=entry.number_or_none("years", 0.01, MOST_YEARS),
        watts=entry.number_or_none("watts", 0.001, 1e6),
    )
    entry.close()
    if all(amount is None for amount in amounts.values()):
        table.problem("price", "nothing that is paid", PRICE_WANTED)
    if (price.once is None) != (price.years is None):
        missing, given = ("years", "once") if price.years is None else ("once", "years")
        entry.problem(missing, "nothing", f"a number beside {given}: what is paid once is spread over the years")
    if price.watts is not None and price.per_kwh is None:
        entry.problem("per_kwh", "nothing", "what a kilowatt hour costs, beside watts")
    return price


def read_currency(table: Table) -> str:
    currency = table.text("currency", default=NO_CURRENCY, wanted=CURRENCY_WANTED)
    if not is_currency(currency):
        table.problem("currency", shown(currency), CURRENCY_WANTED)
        return NO_CURRENCY
    return currency


def read_hours_per_day(table: Table) -> float:
    hours = table.number_or_none("hours_per_day", 0.01, HOURS_PER_DAY)
    return HOURS_PER_DAY if hours is None else hours
