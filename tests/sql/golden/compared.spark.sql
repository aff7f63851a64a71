WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.region, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS region, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port_and_unmatched.region, '') AS region
  FROM port_and_unmatched
),
crew_values AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port.region, '') AS region,
      CAST(nullif(count(*), 0) AS BIGINT) AS x_2
  FROM `Crew` AS crew
    LEFT JOIN `Port` AS port ON crew.port = port.code
  GROUP BY 1, 2
)
SELECT grid.region_k, grid.region, grid.x
FROM (
  SELECT port_lines.region_k AS region_k, port_lines.region AS region, crew_values.x_2 AS x
  FROM port_lines
    LEFT JOIN crew_values ON crew_values.region_k = port_lines.region_k AND crew_values.region = port_lines.region
) AS grid
WHERE grid.x IS NOT NULL
ORDER BY grid.region_k = -1, grid.region_k, grid.region ASC
