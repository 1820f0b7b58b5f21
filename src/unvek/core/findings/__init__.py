"""Evidence -> findings: frozen objects that hold all that a table, a picture or a page shows.

    comparison/   the variants against the reference
    audit/        whatever else a difference may come from
    curve/        how a measure answers to a setting, or along a run
    tradeoff/     which variants are worth considering
    log/          the runs themselves, their sessions, how well they were foreseen
    output_sheet  which output stands for each variant and item

circumstances.py says how the runs behind a result were made. Every finding turns into JSON by the one function in
as_json.py.
"""
