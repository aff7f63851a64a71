WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT "Port".name, "Port".region, 0 AS unmatched
  FROM "Port"
  UNION ALL
  SELECT CAST(NULL AS TEXT) AS name, CAST(NULL AS TEXT) AS region, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port_and_unmatched.region, '') AS region
  FROM port_and_unmatched
),
row_lines_and_totals AS (
  SELECT port_lines.region_k AS region_k, port_lines.region AS region
  FROM port_lines
  UNION ALL
  SELECT -1 AS region_k, CAST('' AS TEXT) AS region
),
-- rows of Port, grouped
port_groups AS (
  SELECT CASE WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port.region, '') AS region,
      min(0) AS min_name_kind_min,
      max(0) AS max_name_kind_max,
      min(port.name) AS min_name_min,
      max(port.name) AS max_name_max
  FROM "Port" AS port
  GROUP BY 1, 2
),
port_values AS (
  SELECT coalesce(port_groups.region_k, -1) AS region_k,
      coalesce(port_groups.region, '') AS region,
      min(port_groups.min_name_kind_min) AS min_name_kind,
      max(port_groups.max_name_kind_max) AS max_name_kind,
      min(port_groups.min_name_min) AS min_name,
      max(port_groups.max_name_max) AS max_name
  FROM port_groups
  GROUP BY GROUPING SETS ((port_groups.region_k, port_groups.region), ())
  HAVING count(*) > 0
)
SELECT grid.region_k, grid.region, grid.x
FROM (
  SELECT row_lines_and_totals.region_k AS region_k,
      row_lines_and_totals.region AS region,
      coalesce((port_values.min_name_kind = port_values.max_name_kind) AND (port_values.min_name = port_values.max_name), false) AS x
  FROM row_lines_and_totals
    LEFT JOIN port_values ON port_values.region_k = row_lines_and_totals.region_k AND port_values.region = row_lines_and_totals.region
) AS grid
WHERE grid.x IS NOT NULL
ORDER BY grid.region_k = -1, grid.x IS NULL, grid.x ASC, grid.region_k, grid.region DESC, grid.region_k, grid.region ASC
