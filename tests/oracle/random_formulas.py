"""Random formulas over a random model; each is text, most of them are accepted."""

from __future__ import annotations

TEXTS = ["a", "b", "A", "b ", "ü", ""]
UNITS = ("year", "quarter", "month", "week")
MOVES = ("day", "week", "month", "quarter", "year")

LISTS = ("('a'), (NULL)", "(NULL)", "(NULL), (NULL)", "('zz')")


class Formulas:
    """Part of the maker: needs `r`, `names`, `focus`, `model`, `star`, `maybe` and `table`."""

    lets = ()

    def cell(self, depth):
        """A formula of number type in a cell."""
        r = self.r
        if depth <= 0 or self.maybe(0.15):
            if self.lets and self.maybe(0.4):
                return r.choice(self.lets)
            if self.model.measures and self.maybe(0.4):
                return r.choice(self.model.measures).name
            return self.aggregate(1)
        return self.pick(
            (8, lambda: f"({self.cell(depth - 1)}) given ({self.edits()})"),
            (4, lambda: f"{self.cell(depth - 1)} {r.choice('+-*/%')} {self.cell(depth - 1)}"),
            (1, lambda: f"CASE WHEN {self.cell(depth - 1)} > {r.randint(-2, 5)} THEN {self.cell(depth - 1)} ELSE {self.number()} END"),
            (1, lambda: f"COALESCE({self.cell(depth - 1)}, {self.number()})"),
            (1, lambda: f"({self.cell(depth - 1)}) * -{self.cell(depth - 1)}"),
            (3, lambda: self.iteration(depth - 1)),
            (2, lambda: self.let(depth)),
            (2, lambda: f"rank({self.cell(depth - 1)} among {self.rows(0)}{' asc' if self.maybe(0.3) else ''})"),
            (1, lambda: f"CASE WHEN {self.question()} THEN {self.cell(depth - 1)} ELSE {self.number()} END"),
        )

    def pick(self, *choices):
        weights = [w for w, _ in choices]
        return self.r.choices([c for _, c in choices], weights)[0]()

    def let(self, depth):
        names = [f"a{len(self.lets)}", f"b{len(self.lets)}"][: self.r.randint(1, 2)]
        defined, outer = [], self.lets
        for name in names:
            defined.append(f"{name} = {self.cell(depth - 1)}")
            self.lets = (*self.lets, name)
        body = self.cell(depth - 1)
        self.lets = outer
        return f"(let {', '.join(defined)} in {body})"

    def question(self):
        table = self.table()
        column = f"{table}.{self.r.choice('gnb')}"
        default = self.r.choice(["", ", NULL", ", 'zz'"])
        return self.pick(
            (1, lambda: f"filtered({column})"),
            (1, lambda: f"filtered({table})"),
            (1, lambda: f"on_axis({column})"),
            (1, lambda: f"single({column})"),
            (1, lambda: f"the({table}.g{default}) >= 'a'"),
        )

    def plain(self):
        """An aggregate of a column under one to three edits of the tables in focus."""
        r = self.r
        grain = self.table()
        aggregate = r.choice([f"sum({grain}.n)", f"rows({grain})", f"sum({grain}.x)", f"count(distinct {grain}.id)"])
        if self.model.measures and self.maybe(0.3):
            aggregate = r.choice(self.model.measures).name
        return f"{aggregate} given ({self.edits()})"

    def number(self):
        return self.r.choice(["1", "0", "2.5", "NULL", "7"])

    def aggregate(self, depth):
        r = self.r
        grain = self.table()
        where = f" where {self.predicate(grain, depth)}" if self.maybe(0.2) else ""
        return self.pick(
            (4, lambda: f"rows({grain}{where})"),
            (
                3,
                lambda: (
                    f"count({'distinct ' if self.maybe(0.6) else ''}{self.column(grain, r.choice('cfgnxdb').replace('c', 'c1').replace('f', 'f0'))}{where})"
                ),
            ),
            (3, lambda: f"EXTRACT(DAY FROM {r.choice(['min', 'max'])}({self.column(grain, 'd')}{where}))"),
            (8, lambda: f"{r.choice(['sum', 'avg', 'min', 'max', 'sum', 'median', 'stddev'])}({self.row(grain, depth)}{where})"),
            (1, lambda: f"percentile({self.row(grain, depth)}, {self.share()}{where})"),
            (1, lambda: f"CHAR_LENGTH(listagg({grain}.g, {r.choice([repr('|'), repr(''), 'NULL'])}{where}))"),
            (2, lambda: f"the({grain}.n{r.choice(['', ', 1', ', ' + self.number()])})"),
        )

    def share(self):
        if self.lets and self.maybe(0.3):
            return self.r.choice(self.lets)
        return self.r.choice(["0.5", "0", "1", "0.9", "2", "NULL", "0.3"])

    def iteration(self, depth):
        """An aggregate over the rows of a table expression."""
        r = self.r
        if self.maybe(0.25):
            return f"rows({self.rows(depth)})"
        over = self.rows(depth)
        where = f" where {self.cell(0)} {r.choice(['>', '<='])} {r.randint(-1, 4)}" if self.maybe(0.2) else ""
        inner = self.cell(depth)
        if " with (w = " in over and self.maybe(0.8):
            inner = f"{'v' if ', v = ' in over else 'w'} {r.choice('+-')} {inner}"
        if self.maybe(0.2):
            outer, self.lets = self.lets, (*self.lets, "k")
            inner = f"let k = {inner} in {self.cell(depth)}"
            self.lets = outer
        if self.maybe(0.1):
            return f"CHAR_LENGTH(listagg(CAST({inner} AS text), ';'{where} for each {over}))"
        return f"{r.choice(['sum', 'sum', 'max', 'min', 'avg', 'count', 'median'])}({inner}{where} for each {over})"

    def rows(self, depth):
        """A table expression."""
        r = self.r
        if depth > 0 and self.maybe(0.35):
            return self.pick(
                (3, lambda: f"({self.rows(depth - 1)}) where {self.cell(0)} {r.choice(['>', '<=', '<>'])} {r.randint(-1, 4)}"),
                (3, lambda: f"top {r.randint(0, 3)} of ({self.rows(depth - 1)}) by {self.cell(0)}{' asc' if self.maybe(0.3) else ''}"),
                (1, lambda: f"known ({self.rows(depth - 1)})"),
                (
                    1,
                    lambda: (
                        f"({self.rows(depth - 1)}) with (w = {self.cell(0)}{self.more.choice(['', ', v = w', ', v = w + 1, u = v - w'])})"
                    ),
                ),
                (3, self.union),
            )
        table = self.table()
        quantifier = r.choice(["", "", "every ", "page "])
        return self.pick(
            (3, lambda: f"{quantifier}{table}"),
            (4, lambda: f"{quantifier}{table}.{r.choice('gnbd')}"),
            (2, lambda: f"{quantifier}({table}.g, {self.column(table, 'n')})"),
            (1, lambda: f"{quantifier}{table} where {self.predicate(table, 0)}"),
            (1, lambda: f"every {table} but ({table}.id, {table}.c1, {table}.x)"),
            (1, lambda: f"values ({self.cell(0)}), ({self.number()})" if depth >= 0 else table),
        )

    def union(self):
        """Rows of one column of the same type on both sides."""
        column = self.r.choice(["g", "n"])
        value = "('a'), (NULL), ('zz')" if column == "g" else "(1), (NULL), (3)"

        def side():
            table = self.table()
            quantifier = self.r.choice(["", "every ", "page "])
            return self.r.choice([f"{quantifier}{table}.{column}"] * 3 + [f"values {value}"])

        found = side()
        for _ in range(self.r.randint(1, 2)):
            found += f" {self.r.choice(['union', 'intersect', 'except'])} {side()}"
        if self.maybe(0.15):
            table = self.table()
            return f"{self.r.choice(['', 'every '])}{table} {self.r.choice(['union', 'intersect', 'except'])} ({table} where {self.predicate(table, 0)})"
        return found

    def row(self, grain, depth):
        """A number from a row of the grain; always names the grain."""
        r = self.r
        own = f"{grain}.{r.choice(['n', 'x', 'n', 'id'])}"
        if depth <= 0 or self.maybe(0.5):
            return own
        return self.pick(
            (4, lambda: f"{own} {r.choice('+-*/')} {self.column(grain, r.choice(['n', 'x']))}"),
            (2, lambda: f"{own} + {r.choice(self.model.measures).name}" if self.model.measures else own),
            (1, lambda: f"{own} * {self.aggregate(0)}"),
            (2, lambda: f"CASE WHEN {self.predicate(grain, 0)} THEN {own} END"),
            (2, lambda: f"COALESCE({self.column(grain, 'n')}, {own})"),
            (1, lambda: f"let v = {own} in v * rows({self.table()} where {self.focus[0]}.n > v)"),
            (1, lambda: f"{own} + rank({own} among {grain})"),
            (1, lambda: f"let v = {own}, w = {self.aggregate(0)} in w {r.choice('+-')} {self.number()} {r.choice('+-')} v"),
            (1, lambda: f"{own} - CASE WHEN {self.predicate(grain, 0)} THEN {self.aggregate(0)} END"),
            (1, lambda: f"(CASE WHEN {self.predicate(grain, 0)} THEN {self.aggregate(0)} END) + {self.aggregate(0)} + 0 * {own}"),
        )

    def column(self, grain, column):
        """A column of the grain or of what it looks up."""
        tables = list(self.star.lookups(grain, self.star.state)) if self.maybe(0.9) else self.names
        return f"{self.r.choice([grain, *tables])}.{column}"

    def predicate(self, table, depth=1):
        """A condition over columns of one table."""
        r = self.r
        own = lambda c: f"{table}.{c}"  # noqa: E731
        if self.maybe(0.4):
            return r.choice(
                [
                    f"{own('g')} = '{r.choice(TEXTS[:3])}'",
                    f"{own('n')} <= {r.randint(0, 4)}",
                    f"{own('g')} >= 'a' AND {own('n')} < {r.randint(1, 4)}",
                ]
            )
        choices = [
            lambda: f"{own('g')} = '{r.choice(TEXTS[:3])}'",
            lambda: f"{own('g')} = 'a' AND {own('n')} > {r.randint(-2, 2)}",
            lambda: f"({own('n')} < {r.randint(0, 3)} OR {own('g')} >= 'a')",
            lambda: f"{own('g')} {r.choice(['=', '<>', '<', '>='])} '{r.choice(TEXTS)}'",
            lambda: f"{own('g')} IS {r.choice(['', 'NOT '])}NULL",
            lambda: f"{own('n')} {r.choice(['=', '<', '>=', 'IS DISTINCT FROM'])} {r.randint(-2, 4)}",
            lambda: f"{own('id')} {r.choice(['', 'NOT '])}IN ({r.randint(1, 6)}, {r.randint(1, 11)}{', NULL' if self.maybe(0.2) else ''})",
            lambda: f"{own('x')} BETWEEN -2 AND {r.randint(0, 3)}",
            lambda: f"{own('d')} < DATE '2031-0{r.randint(1, 9)}-15'",
            lambda: f"start_of({r.choice(UNITS)}, {own('d')}) = DATE '2031-0{r.randint(1, 9)}-01'",
            lambda: f"{own('g')} LIKE '{r.choice(['a%', '_', '%b%', ''])}'",
            lambda: own("b"),
        ]
        kind = r.random()
        if depth > 0 and kind < 0.25:
            return f"({self.predicate(table, depth - 1)} {r.choice(['AND', 'OR'])} {self.predicate(table, depth - 1)})"
        if depth > 0 and kind < 0.35:
            return f"NOT ({self.predicate(table, depth - 1)})"
        if self.lets and kind < 0.45:
            return f"{own('n')} {r.choice(['<', '>='])} {r.choice(self.lets)}"
        if depth > 0 and kind < 0.5 and self.model.measures:
            return f"{own('n')} {r.choice(['<', '=', '>='])} {r.choice([m.name for m in self.model.measures])}"
        if depth > 0 and kind < 0.6:
            return f"{own('d')} <= max({r.choice(self.names)}.d)"
        return r.choice(choices)()

    # edits

    def edits(self):
        return ", ".join(self.edit() for _ in range(self.r.choice([1, 1, 2, 2, 3])))

    def edit(self):
        r = self.r
        choices = [
            (8, lambda: f"{r.choice(['set', 'keep'])} {self.predicate(self.table())}"),
            (4, self.listing),
            (4, lambda: f"clear {self.target()}{' but ' + self.target() if self.maybe(0.2) else ''}"),
            (3, lambda: f"reset {self.target()}{' but ' + self.target() if self.maybe(0.2) else ''}"),
            (2, self.match),
        ]
        if self.model.links:
            choices += [(2, lambda: f"via {self.link()}"), (3, self.flow)]
        if any(t.calendar for t in self.model.tables):
            choices += [(10, self.move)]
        return self.pick(*choices)

    def link(self):
        link = self.r.choice(self.model.links)
        return f'link "{link.name}"' if self.maybe(0.5) else link.ends_text

    def flow(self):
        link = self.r.choice(self.model.links)
        way = self.r.choice(["two-way", "off", f"to {link.from_table}", f"to {link.to_table}"])
        return f'flow link "{link.name}" {way}'

    def match(self):
        a, b = self.r.sample(self.names, 2)
        if self.maybe(0.6):
            column = self.r.choice(["g", "n", "d"])
            both = self.maybe(0.2)
            return f"match ({a}.g, {a}.n) to ({b}.g, {b}.n)" if both else f"match {a}.{column} to {b}.{column}"
        more = f" AND {b}.n <> {self.cell(0)}" if self.maybe(0.3) else ""
        return f"match {a} to {b} where {a}.n {self.r.choice(['<=', '>', '='])} {b}.{self.r.choice(['n', 'x', 'id'])}{more}"

    def listing(self):
        r = self.r
        word, table = r.choice(["set", "keep"]), self.table()
        return self.pick(
            (2, lambda: f"{word} {table} in ({table} where {self.predicate(table, 1)})"),
            (2, lambda: f"{word} {table} in {r.choice(['', 'every ', 'page '])}{table}"),
            (2, lambda: f"{word} {table}.g in {r.choice(['', 'every ', 'page '])}{self.table()}.g"),
            (1, lambda: f"{word} {table}.g in top {r.randint(1, 3)} of {r.choice(['', 'every '])}{table}.g by {self.cell(0)}"),
            (1, lambda: f"{word} {table}.g in values {self.more.choice(LISTS)}"),
            (1, lambda: f"{word} ({table}.g, {table}.n) in values ('a', 1), ('b', {self.cell(0)})"),
            (1, lambda: f"{word} ({table}.g, {table}.n) in {r.choice(['', 'every '])}({self.table()}.g, {self.table()}.n)"),
            (1, lambda: f"{word} {table}.g in ({self.union()})"),
            (1, lambda: f"{word} {table} in (every {table} but {table}.x) with (w = 1.5)"),
            (1, lambda: f"{word} {table}.d in {r.choice(['', 'every '])}{self.table()}.d"),
        )

    def move(self):
        r = self.r
        table = next(t.name for t in self.model.tables if t.calendar)
        by = r.choice(["1", "-1", "0", "2", "-2", "3"]) if self.maybe(0.85) else f"({self.lets[0]})" if self.lets else "NULL"
        return self.pick(
            (4, lambda: f"shift {table} by {by} {r.choice(MOVES)}"),
            (2, lambda: f"stretch {table} to start of {r.choice([*MOVES, 'all'])}"),
            (2, lambda: f"stretch {table} to whole {r.choice(MOVES)}"),
            (2, lambda: f"stretch {table} back {by} {r.choice(MOVES)}"),
        )

    def target(self):
        table = self.table()
        return self.r.choice(
            [table, f"{table}.g", f"{table}.n", f"{table}.g", f"({table}.g, {table}.n)", f"wide {table}", f"into {table}", "all"]
        )
