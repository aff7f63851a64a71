WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.code, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS code, 1 AS unmatched
),
-- Port.code
port_rows AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS code_k,
      coalesce(port_and_unmatched.code, '') AS code
  FROM port_and_unmatched
),
-- values ('x'), ('y')
listed AS (
  SELECT 0 AS line_k, 0 AS line, 'x' AS column1
  FROM (
    SELECT 1 AS one
  ) AS one_context
  UNION ALL
  SELECT 0 AS line_k, 1 AS line, 'y' AS column1
  FROM (
    SELECT 1 AS one
  ) AS one_context
),
-- Port.code union values ('x'), ('y')
`union` AS (
  SELECT port_rows.code_k AS code_2_k, port_rows.code AS code_2
  FROM port_rows
  UNION
  SELECT CASE WHEN (listed.column1 IS NULL) THEN 1 ELSE 0 END AS code_2_k,
      coalesce(listed.column1, '') AS code_2
  FROM listed
),
-- values ('a')
listed_2 AS (
  SELECT 0 AS line_2_k, 0 AS line_2, 'a' AS column1_2
  FROM (
    SELECT 1 AS one
  ) AS one_context
),
except_with AS (
  SELECT CASE WHEN (listed_2.column1_2 IS NULL) THEN 1 ELSE 0 END AS column1_3_k,
      coalesce(listed_2.column1_2, '') AS column1_3
  FROM listed_2
),
-- Port.code union values ('x'), ('y') except values ('a')
`except` AS (
  SELECT DISTINCT `union`.code_2_k AS code_3_k, `union`.code_2 AS code_3
  FROM `union`
  WHERE NOT (EXISTS (
    SELECT 1
    FROM except_with
    WHERE `union`.code_2_k = except_with.column1_3_k AND `union`.code_2 = except_with.column1_3
  ))
),
-- Port.code union values ('x'), ('y') except values ('a')
except_known AS (
  SELECT `except`.code_3_k AS code_3_k, `except`.code_3 AS code_3
  FROM `except`
  WHERE `except`.code_3_k != 2
),
-- rows(Port.code union values ('x'), ('y') except values ('a'))
x_over_rows AS (
  SELECT CAST(nullif(count(*), 0) AS BIGINT) AS x_2
  FROM except_known
  HAVING count(*) > 0
)
SELECT x_over_rows.x_2 AS x
FROM (
  SELECT 1 AS one
) AS one_context
  LEFT JOIN x_over_rows ON true
