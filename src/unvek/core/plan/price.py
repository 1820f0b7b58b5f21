"""What running a variant costs: by the hour, by the token, or for a machine that was bought and draws current."""

from dataclasses import dataclass

SECONDS_PER_HOUR = 3600.0
JOULES_PER_KWH = 3.6e6
HOURS_PER_DAY = 24.0  # that a machine which was paid once is in use, unless the plan says otherwise
DAYS_PER_YEAR = 365.25
MILLION = 1e6


@dataclass(frozen=True, slots=True, kw_only=True)
class Price:
    """What a plan says of the costs of a variant, a runner or the machine; all that is said is added up.

    once is paid for a machine that lasts `years`; watts are what it draws where no counter tells.
    """

    per_hour: float | None = None
    per_million_in: float | None = None
    per_million_out: float | None = None
    once: float | None = None
    years: float | None = None
    watts: float | None = None
    per_kwh: float | None = None

    @property
    def is_by_time(self) -> bool:
        return self.per_hour is not None or self.once is not None

    @property
    def is_by_token(self) -> bool:
        return self.per_million_in is not None or self.per_million_out is not None

    def per_second(self, hours_per_day: float) -> float:
        """Return what a second costs in which it is used, without the current that it draws."""
        hourly = self.per_hour or 0.0
        if self.once is not None and self.years:
            hourly += self.once / (self.years * DAYS_PER_YEAR * hours_per_day)
        return hourly / SECONDS_PER_HOUR
