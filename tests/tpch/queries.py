"""The benchmark's 22 questions, each as SQL after its public specification and as a probe. Columns of the SELECT are the probe's rows, then
its measures. A limit of the specification is a `top` where its order is one of a measure; else all lines are compared."""

REVENUE = "sum(l_extendedprice * (1 - l_discount))"


def where(*conditions):
    return [{"where": c} for c in conditions]


QUERIES = {
    1: (
        f"""SELECT l_returnflag, l_linestatus, sum(l_quantity), sum(l_extendedprice), {REVENUE}, sum(l_extendedprice * (1 - l_discount) * (1 + l_tax)),
            avg(l_quantity), avg(l_extendedprice), avg(l_discount), count(*) FROM lineitem WHERE l_shipdate <= DATE '1998-12-01' - INTERVAL '90' DAY GROUP BY ALL""",
        {
            "rows": ["Lineitem.l_returnflag", "Lineitem.l_linestatus"],
            "measures": ["quantity", "base", "revenue", "charge", "q", "p", "d", "n"],
            "define": {
                "base": "sum(Lineitem.l_extendedprice)",
                "charge": "sum(Lineitem.l_extendedprice * (1 - Lineitem.l_discount) * (1 + Lineitem.l_tax))",
                "q": "avg(Lineitem.l_quantity)",
                "p": "avg(Lineitem.l_extendedprice)",
                "d": "avg(Lineitem.l_discount)",
                "n": "rows(Lineitem)",
            },
            "picks": where("Lineitem.l_shipdate <= DATE '1998-12-01' - INTERVAL '90' DAY"),
        },
    ),
    2: (
        """SELECT p_partkey, s_suppkey, ps_supplycost FROM part, supplier, partsupp, nation, region WHERE p_partkey = ps_partkey AND s_suppkey = ps_suppkey AND p_size = 15
           AND p_type LIKE '%BRASS' AND s_nationkey = n_nationkey AND n_regionkey = r_regionkey AND r_name = 'EUROPE' AND ps_supplycost = (SELECT min(ps_supplycost)
           FROM partsupp, supplier, nation, region WHERE p_partkey = ps_partkey AND s_suppkey = ps_suppkey AND s_nationkey = n_nationkey AND n_regionkey = r_regionkey AND r_name = 'EUROPE')""",
        {
            "rows": ["Part.p_partkey", "Supplier.s_suppkey"],
            "measures": ["cost"],
            "define": {"cost": "min(Partsupp.ps_supplycost)"},
            "picks": [*where("Part.p_size = 15 AND Part.p_type LIKE '%BRASS'"), {"column": "Home region.r_name", "in": ["EUROPE"]}],
            "having": [{"where": "cost = cost given (clear Supplier)"}],
        },
    ),
    3: (
        f"""SELECT l_orderkey, o_orderdate, {REVENUE} FROM customer, orders, lineitem WHERE c_mktsegment = 'BUILDING' AND c_custkey = o_custkey AND l_orderkey = o_orderkey
            AND o_orderdate < DATE '1995-03-15' AND l_shipdate > DATE '1995-03-15' GROUP BY ALL ORDER BY 3 DESC LIMIT 10""",
        {
            "rows": ["Orders.o_orderkey", "Orders.o_orderdate"],
            "measures": ["revenue"],
            "top": {"count": 10, "by": "revenue", "level": "Orders.o_orderkey"},
            "picks": [
                {"column": "Customer.c_mktsegment", "in": ["BUILDING"]},
                *where("Orders.o_orderdate < DATE '1995-03-15'", "Lineitem.l_shipdate > DATE '1995-03-15'"),
            ],
        },
    ),
    4: (
        """SELECT o_orderpriority, count(*) FROM orders WHERE o_orderdate >= DATE '1993-07-01' AND o_orderdate < DATE '1993-10-01'
           AND EXISTS (SELECT * FROM lineitem WHERE l_orderkey = o_orderkey AND l_commitdate < l_receiptdate) GROUP BY ALL""",
        {
            "rows": ["Orders.o_orderpriority"],
            "measures": ["n"],
            "define": {"n": "rows(Orders where rows(Lineitem where Lineitem.l_commitdate < Lineitem.l_receiptdate) > 0)"},
            "picks": where("Orders.o_orderdate >= DATE '1993-07-01' AND Orders.o_orderdate < DATE '1993-10-01'"),
        },
    ),
    5: (
        f"""SELECT n_name, {REVENUE} FROM customer, orders, lineitem, supplier, nation, region WHERE c_custkey = o_custkey AND l_orderkey = o_orderkey AND l_suppkey = s_suppkey
            AND c_nationkey = s_nationkey AND s_nationkey = n_nationkey AND n_regionkey = r_regionkey AND r_name = 'ASIA' AND o_orderdate >= DATE '1994-01-01'
            AND o_orderdate < DATE '1995-01-01' GROUP BY ALL""",
        {
            "rows": ["Home.n_name"],
            "measures": ["local"],
            "define": {
                "local": "sum(Lineitem.l_extendedprice * (1 - Lineitem.l_discount) where Customer.c_nationkey = Supplier.s_nationkey)"
            },
            "picks": [{"column": "Home region.r_name", "in": ["ASIA"]}, *where("Orders.order_year = 1994")],
        },
    ),
    6: (
        """SELECT sum(l_extendedprice * l_discount) FROM lineitem WHERE l_shipdate >= DATE '1994-01-01' AND l_shipdate < DATE '1995-01-01'
           AND l_discount BETWEEN 0.05 AND 0.07 AND l_quantity < 24""",
        {
            "measures": ["x"],
            "define": {"x": "sum(Lineitem.l_extendedprice * Lineitem.l_discount)"},
            "picks": where(
                "Lineitem.l_shipdate >= DATE '1994-01-01' AND Lineitem.l_shipdate < DATE '1995-01-01' AND Lineitem.l_discount BETWEEN 0.05 AND 0.07 AND Lineitem.l_quantity < 24"
            ),
        },
    ),
    7: (
        f"""SELECT n1.n_name, n2.n_name, EXTRACT(YEAR FROM l_shipdate), {REVENUE} FROM supplier, lineitem, orders, customer, nation n1, nation n2 WHERE s_suppkey = l_suppkey
            AND o_orderkey = l_orderkey AND c_custkey = o_custkey AND s_nationkey = n1.n_nationkey AND c_nationkey = n2.n_nationkey AND ((n1.n_name = 'FRANCE' AND n2.n_name = 'GERMANY')
            OR (n1.n_name = 'GERMANY' AND n2.n_name = 'FRANCE')) AND l_shipdate BETWEEN DATE '1995-01-01' AND DATE '1996-12-31' GROUP BY ALL""",
        {
            "rows": ["Home.n_name", "Nation.n_name", "Lineitem.ship_year"],
            "measures": ["x"],
            "define": {"x": "sum(Lineitem.l_extendedprice * (1 - Lineitem.l_discount) where Home.n_name <> Nation.n_name)"},
            "picks": [
                {"column": "Home.n_name", "in": ["FRANCE", "GERMANY"]},
                {"column": "Nation.n_name", "in": ["FRANCE", "GERMANY"]},
                *where("Lineitem.l_shipdate BETWEEN DATE '1995-01-01' AND DATE '1996-12-31'"),
            ],
        },
    ),
    8: (
        """SELECT y, sum(CASE WHEN nation = 'BRAZIL' THEN volume ELSE 0 END) / sum(volume) FROM (SELECT EXTRACT(YEAR FROM o_orderdate) AS y, l_extendedprice * (1 - l_discount) AS volume,
           n2.n_name AS nation FROM part, supplier, lineitem, orders, customer, nation n1, nation n2, region WHERE p_partkey = l_partkey AND s_suppkey = l_suppkey AND l_orderkey = o_orderkey
           AND o_custkey = c_custkey AND c_nationkey = n1.n_nationkey AND n1.n_regionkey = r_regionkey AND r_name = 'AMERICA' AND s_nationkey = n2.n_nationkey
           AND o_orderdate BETWEEN DATE '1995-01-01' AND DATE '1996-12-31' AND p_type = 'ECONOMY ANODIZED STEEL') GROUP BY ALL""",
        {
            "rows": ["Orders.order_year"],
            "measures": ["share"],
            "define": {
                "share": "sum(CASE WHEN Home.n_name = 'BRAZIL' THEN Lineitem.l_extendedprice * (1 - Lineitem.l_discount) ELSE 0 END) / revenue"
            },
            "picks": [
                {"column": "Region.r_name", "in": ["AMERICA"]},
                {"column": "Part.p_type", "in": ["ECONOMY ANODIZED STEEL"]},
                *where("Orders.o_orderdate BETWEEN DATE '1995-01-01' AND DATE '1996-12-31'"),
            ],
        },
    ),
    9: (
        """SELECT n_name, EXTRACT(YEAR FROM o_orderdate), sum(l_extendedprice * (1 - l_discount) - ps_supplycost * l_quantity) FROM part, supplier, lineitem, partsupp, orders, nation
           WHERE s_suppkey = l_suppkey AND ps_suppkey = l_suppkey AND ps_partkey = l_partkey AND p_partkey = l_partkey AND o_orderkey = l_orderkey AND s_nationkey = n_nationkey
           AND p_name LIKE '%green%' GROUP BY ALL""",
        {
            "rows": ["Home.n_name", "Orders.order_year"],
            "measures": ["profit"],
            "define": {
                "profit": "sum(Lineitem.l_extendedprice * (1 - Lineitem.l_discount) - Partsupp.ps_supplycost * Lineitem.l_quantity)"
            },
            "picks": where("Part.p_name LIKE '%green%'"),
        },
    ),
    10: (
        f"""SELECT c_custkey, n_name, {REVENUE} FROM customer, orders, lineitem, nation WHERE c_custkey = o_custkey AND l_orderkey = o_orderkey AND o_orderdate >= DATE '1993-10-01'
            AND o_orderdate < DATE '1994-01-01' AND l_returnflag = 'R' AND c_nationkey = n_nationkey GROUP BY ALL ORDER BY 3 DESC LIMIT 20""",
        {
            "rows": ["Customer.c_custkey", "Nation.n_name"],
            "measures": ["revenue"],
            "top": {"count": 20, "by": "revenue", "level": "Customer.c_custkey"},
            "picks": [
                {"column": "Lineitem.l_returnflag", "in": ["R"]},
                *where("Orders.o_orderdate >= DATE '1993-10-01' AND Orders.o_orderdate < DATE '1994-01-01'"),
            ],
        },
    ),
    11: (
        """SELECT ps_partkey, sum(ps_supplycost * ps_availqty) FROM partsupp, supplier, nation WHERE ps_suppkey = s_suppkey AND s_nationkey = n_nationkey AND n_name = 'GERMANY'
           GROUP BY ps_partkey HAVING sum(ps_supplycost * ps_availqty) > (SELECT sum(ps_supplycost * ps_availqty) * 0.005 FROM partsupp, supplier, nation
           WHERE ps_suppkey = s_suppkey AND s_nationkey = n_nationkey AND n_name = 'GERMANY')""",
        {
            "rows": ["Partsupp.ps_partkey"],
            "measures": ["stock_value"],
            "picks": [{"column": "Home.n_name", "in": ["GERMANY"]}],
            "having": [{"where": "stock_value > 0.005 * stock_value given (clear Partsupp)"}],
        },
    ),
    12: (
        """SELECT l_shipmode, sum(CASE WHEN o_orderpriority IN ('1-URGENT', '2-HIGH') THEN 1 ELSE 0 END), sum(CASE WHEN o_orderpriority NOT IN ('1-URGENT', '2-HIGH') THEN 1 ELSE 0 END)
           FROM orders, lineitem WHERE o_orderkey = l_orderkey AND l_shipmode IN ('MAIL', 'SHIP') AND l_commitdate < l_receiptdate AND l_shipdate < l_commitdate
           AND l_receiptdate >= DATE '1994-01-01' AND l_receiptdate < DATE '1995-01-01' GROUP BY ALL""",
        {
            "rows": ["Lineitem.l_shipmode"],
            "measures": ["high", "low"],
            "define": {
                "high": "sum(CASE WHEN Orders.o_orderpriority IN ('1-URGENT', '2-HIGH') THEN 1 ELSE 0 END + 0 * Lineitem.l_quantity)",
                "low": "sum(CASE WHEN Orders.o_orderpriority NOT IN ('1-URGENT', '2-HIGH') THEN 1 ELSE 0 END + 0 * Lineitem.l_quantity)",
            },
            "picks": [
                {"column": "Lineitem.l_shipmode", "in": ["MAIL", "SHIP"]},
                *where(
                    "Lineitem.l_commitdate < Lineitem.l_receiptdate AND Lineitem.l_shipdate < Lineitem.l_commitdate AND EXTRACT(YEAR FROM Lineitem.l_receiptdate) = 1994"
                ),
            ],
        },
    ),
    13: (
        """SELECT c_count, count(*) FROM (SELECT c_custkey, count(o_orderkey) AS c_count FROM customer LEFT JOIN orders ON c_custkey = o_custkey
           AND o_comment NOT LIKE '%special%requests%' GROUP BY c_custkey) GROUP BY ALL""",
        {"rows": ["Customer.orders"], "measures": ["n"], "define": {"n": "rows(Customer)"}},
    ),
    14: (
        """SELECT 100.00 * sum(CASE WHEN p_type LIKE 'PROMO%' THEN l_extendedprice * (1 - l_discount) ELSE 0 END) / sum(l_extendedprice * (1 - l_discount)) FROM lineitem, part
           WHERE l_partkey = p_partkey AND l_shipdate >= DATE '1995-09-01' AND l_shipdate < DATE '1995-10-01'""",
        {
            "measures": ["x"],
            "define": {"x": "100 * sum(Lineitem.l_extendedprice * (1 - Lineitem.l_discount) where Part.p_type LIKE 'PROMO%') / revenue"},
            "picks": where("start_of(month, Lineitem.l_shipdate) = DATE '1995-09-01'"),
        },
    ),
    15: (
        f"""WITH revenue AS (SELECT l_suppkey, {REVENUE} AS total FROM lineitem WHERE l_shipdate >= DATE '1996-01-01' AND l_shipdate < DATE '1996-04-01' GROUP BY l_suppkey)
            SELECT s_suppkey, s_name, total FROM supplier, revenue WHERE s_suppkey = l_suppkey AND total = (SELECT max(total) FROM revenue)""",
        {
            "rows": ["Supplier.s_suppkey", "Supplier.s_name"],
            "measures": ["revenue"],
            "top": {"count": 1, "by": "revenue", "level": "Supplier.s_suppkey"},
            "picks": where("start_of(quarter, Lineitem.l_shipdate) = DATE '1996-01-01'"),
        },
    ),
    16: (
        """SELECT p_brand, p_type, p_size, count(DISTINCT ps_suppkey) FROM partsupp, part WHERE p_partkey = ps_partkey AND p_brand <> 'Brand#45' AND p_type NOT LIKE 'MEDIUM POLISHED%'
           AND p_size IN (49, 14, 23, 45, 19, 3, 36, 9) AND ps_suppkey NOT IN (SELECT s_suppkey FROM supplier WHERE s_comment LIKE '%Customer%Complaints%') GROUP BY ALL""",
        {
            "rows": ["Part.p_brand", "Part.p_type", "Part.p_size"],
            "measures": ["n"],
            "define": {"n": "count(distinct Partsupp.ps_suppkey)"},
            "picks": where(
                "Part.p_brand <> 'Brand#45' AND Part.p_type NOT LIKE 'MEDIUM POLISHED%' AND Part.p_size IN (49, 14, 23, 45, 19, 3, 36, 9)",
                "Supplier.s_comment NOT LIKE '%Customer%Complaints%'",
            ),
        },
    ),
    17: (
        """SELECT sum(l_extendedprice) / 7.0 FROM lineitem, part WHERE p_partkey = l_partkey AND p_brand = 'Brand#23' AND p_container LIKE 'MED%'
           AND l_quantity < (SELECT 0.5 * avg(l_quantity) FROM lineitem WHERE l_partkey = p_partkey)""",
        {
            "measures": ["x"],
            "define": {
                "x": "sum(let few = 0.5 * avg(Lineitem.l_quantity) in sum(Lineitem.l_extendedprice where Lineitem.l_quantity < few) for each Part) / 7"
            },
            "picks": where("Part.p_brand = 'Brand#23' AND Part.p_container LIKE 'MED%'"),
        },
    ),
    18: (
        """SELECT c_custkey, o_orderkey, o_totalprice, sum(l_quantity) FROM customer, orders, lineitem WHERE o_orderkey IN (SELECT l_orderkey FROM lineitem GROUP BY l_orderkey
           HAVING sum(l_quantity) > 250) AND c_custkey = o_custkey AND o_orderkey = l_orderkey GROUP BY ALL""",
        {
            "rows": ["Customer.c_custkey", "Orders.o_orderkey", "Orders.o_totalprice"],
            "measures": ["quantity"],
            "having": [{"where": "quantity > 250", "level": "Orders.o_orderkey"}],
        },
    ),
    19: (
        f"""SELECT {REVENUE} FROM lineitem, part WHERE p_partkey = l_partkey AND l_shipmode IN ('AIR', 'AIR REG') AND l_shipinstruct = 'DELIVER IN PERSON' AND (
            (p_brand = 'Brand#12' AND p_container LIKE 'SM %' AND l_quantity BETWEEN 1 AND 11 AND p_size BETWEEN 1 AND 5)
            OR (p_brand = 'Brand#23' AND p_container LIKE 'MED %' AND l_quantity BETWEEN 10 AND 20 AND p_size BETWEEN 1 AND 10)
            OR (p_brand = 'Brand#34' AND p_container LIKE 'LG %' AND l_quantity BETWEEN 20 AND 30 AND p_size BETWEEN 1 AND 15))""",
        {
            "measures": ["x"],
            "picks": where("Lineitem.l_shipmode IN ('AIR', 'AIR REG') AND Lineitem.l_shipinstruct = 'DELIVER IN PERSON'"),
            "define": {
                "x": """sum(Lineitem.l_extendedprice * (1 - Lineitem.l_discount) where
                (Part.p_brand = 'Brand#12' AND Part.p_container LIKE 'SM %' AND Lineitem.l_quantity BETWEEN 1 AND 11 AND Part.p_size BETWEEN 1 AND 5)
                OR (Part.p_brand = 'Brand#23' AND Part.p_container LIKE 'MED %' AND Lineitem.l_quantity BETWEEN 10 AND 20 AND Part.p_size BETWEEN 1 AND 10)
                OR (Part.p_brand = 'Brand#34' AND Part.p_container LIKE 'LG %' AND Lineitem.l_quantity BETWEEN 20 AND 30 AND Part.p_size BETWEEN 1 AND 15))"""
            },
        },
    ),
    20: (
        """SELECT s_name FROM supplier, nation WHERE s_suppkey IN (SELECT ps_suppkey FROM partsupp WHERE ps_partkey IN (SELECT p_partkey FROM part WHERE p_name LIKE 'f%')
           AND ps_availqty > (SELECT 0.5 * sum(l_quantity) FROM lineitem WHERE l_partkey = ps_partkey AND l_suppkey = ps_suppkey AND l_shipdate >= DATE '1994-01-01'
           AND l_shipdate < DATE '1995-01-01')) AND s_nationkey = n_nationkey AND n_name = 'CANADA'""",
        {
            "rows": ["Supplier.s_name"],
            "measures": ["n"],
            "unshown": True,
            "define": {
                "n": "rows(Partsupp where Part.p_name LIKE 'f%' AND Partsupp.ps_availqty > 0.5 * sum(Lineitem.l_quantity where Lineitem.ship_year = 1994))"
            },
            "picks": [{"column": "Home.n_name", "in": ["CANADA"]}],
        },
    ),
    21: (
        """SELECT s_name, count(*) FROM supplier, lineitem l1, orders, nation WHERE s_suppkey = l1.l_suppkey AND o_orderkey = l1.l_orderkey AND o_orderstatus = 'F'
           AND l1.l_receiptdate > l1.l_commitdate AND EXISTS (SELECT * FROM lineitem l2 WHERE l2.l_orderkey = l1.l_orderkey AND l2.l_suppkey <> l1.l_suppkey)
           AND NOT EXISTS (SELECT * FROM lineitem l3 WHERE l3.l_orderkey = l1.l_orderkey AND l3.l_suppkey <> l1.l_suppkey AND l3.l_receiptdate > l3.l_commitdate)
           AND s_nationkey = n_nationkey AND n_name = 'SAUDI ARABIA' GROUP BY ALL""",
        {
            "rows": ["Supplier.s_name"],
            "measures": ["n"],
            "picks": [{"column": "Home.n_name", "in": ["SAUDI ARABIA"]}],
            "define": {
                "n": """rows(Lineitem where Lineitem.l_receiptdate > Lineitem.l_commitdate AND Orders.o_orderstatus = 'F'
                AND Orders.suppliers > 1 AND Orders.late_suppliers = 1)"""
            },
        },
    ),
    22: (
        """SELECT cntrycode, count(*), sum(c_acctbal) FROM (SELECT substring(c_phone FROM 1 FOR 2) AS cntrycode, c_acctbal FROM customer
           WHERE substring(c_phone FROM 1 FOR 2) IN ('13', '31', '23', '29', '30', '18', '17') AND c_acctbal > (SELECT avg(c_acctbal) FROM customer WHERE c_acctbal > 0.00
           AND substring(c_phone FROM 1 FOR 2) IN ('13', '31', '23', '29', '30', '18', '17')) AND NOT EXISTS (SELECT * FROM orders WHERE o_custkey = c_custkey)) GROUP BY ALL""",
        {
            "rows": ["Customer.country"],
            "measures": ["n", "balance"],
            "picks": [{"column": "Customer.country", "in": ["13", "31", "23", "29", "30", "18", "17"]}],
            "define": {
                "usual": "avg(Customer.c_acctbal where Customer.c_acctbal > 0) given (reset Customer)",
                "n": "let a = usual in rows(Customer where Customer.c_acctbal > a AND rows(Orders) IS NULL)",
                "balance": "let a = usual in sum(Customer.c_acctbal where Customer.c_acctbal > a AND rows(Orders) IS NULL)",
            },
        },
    ),
}
