"""unvek rig"""

import click

from unvek.cli.options import as_option


@click.command()
@as_option
def rig(how: str) -> None:
    """Show this machine, its fingerprint, and how quiet it is right now.

    The same fixed work is repeated for two seconds: how evenly that goes is how far measured times can be trusted
    now, and what got most in its way is named. Takes two seconds.

    \b
    Examples:
      unvek rig
      unvek rig --as json
    """
    from unvek.core.rig.report import report_rig
    from unvek.show.results.rig import RIG
    from unvek.show.terminal.views import put

    click.echo("Spinning for two seconds...", err=True)
    put(report_rig(), RIG, how)
