"""unvek team"""

from typing import TYPE_CHECKING

import click

from unvek.cli.options import as_option, tell

if TYPE_CHECKING:
    from unvek.core.logbook.store import Logbook


@click.command()
@click.argument("address", required=False)
@click.option("--outputs", metavar="PLACE", help="Where outputs are shared: file:///srv/unvek, or s3://bucket/prefix.")
@click.option("--roles", is_flag=True, help="Print the SQL that makes roles for readers, judges and writers.")
@as_option
def team(address: str | None, outputs: str | None, roles: bool, how: str) -> None:
    """Make a team's logbook in the database at ADDRESS, or say which machines make runs into the one that is there.

    ADDRESS is as PostgreSQL's own programs have it, postgresql://USER@SERVER/DATABASE; a password is taken from
    PGPASSWORD or ~/.pgpass. Any 'unvek run --logbook ADDRESS' makes it as well, where its role may.

    \b
    Examples:
      unvek team postgresql://nursery-server/painters
      unvek team postgresql://nursery-server/painters --outputs s3://nursery/painters
      unvek team --roles | psql postgresql://nursery-server/painters
    """
    if roles:
        from unvek.core.logbook.team_rights import rights_script

        click.echo(rights_script())
        return
    if address is None:
        raise click.UsageError("name the database, postgresql://SERVER/DATABASE; or ask for --roles")
    from unvek.core.findings.log.team import team_at_work
    from unvek.core.logbook.place import place_named
    from unvek.core.logbook.store import Logbook
    from unvek.core.plan.addresses import checked_address
    from unvek.show.results.team import TEAM
    from unvek.show.terminal.views import put

    place = place_named(checked_address(address))
    is_new = not Logbook.is_in(place)
    with Logbook.make_or_open(place) if is_new else Logbook.open(place) as logbook:
        if outputs is not None:
            _share(logbook, outputs)
        if is_new:
            tell(f'A team\'s logbook is made in {place.name}. Give it to a plan: logbook = "{place.name}"')
        put(team_at_work(logbook), TEAM, how)


def _share(logbook: "Logbook", outputs: str) -> None:
    from unvek.core.errors import InputError
    from unvek.core.plan.addresses import OUTPUTS_WANTED, wrong_store

    wrong = wrong_store(outputs)
    if wrong is not None:
        raise InputError(f"{outputs!r} is {wrong}; wanted {OUTPUTS_WANTED}")
    logbook.share_outputs_at(outputs)
    tell(f"Outputs are shared at {outputs} from now on")
