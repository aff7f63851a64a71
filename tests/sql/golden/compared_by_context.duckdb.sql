WITH
-- Cal, and its unmatched member
cal_and_unmatched AS (
  SELECT "Cal".day, "Cal".week, 0 AS unmatched
  FROM "Cal"
  UNION ALL
  SELECT CAST(NULL AS DATE) AS day, CAST(NULL AS BIGINT) AS week, 1 AS unmatched
),
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT "Port".region, 0 AS unmatched
  FROM "Port"
  UNION ALL
  SELECT CAST(NULL AS TEXT) AS region, 1 AS unmatched
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
-- what of Cal is visible under the page
cal_lines AS (
  SELECT DISTINCT CASE WHEN (cal_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS week_k,
      coalesce(cal_and_unmatched.week, 0) AS week
  FROM cal_and_unmatched
),
column_lines_and_totals AS (
  SELECT cal_lines.week_k AS week_k, cal_lines.week AS week
  FROM cal_lines
  UNION ALL
  SELECT -1 AS week_k, CAST(0 AS BIGINT) AS week
),
-- the cells of the grid
cells AS (
  SELECT row_lines_and_totals.region_k AS region_k,
      row_lines_and_totals.region AS region,
      column_lines_and_totals.week_k AS week_k,
      column_lines_and_totals.week AS week
  FROM row_lines_and_totals
    JOIN column_lines_and_totals ON true
),
-- rows of Crew, grouped
crew_groups AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port.region, '') AS region,
      count(*) AS x_rows,
      count(*) AS y_rows,
      count(*) AS z_rows
  FROM "Crew" AS crew
    LEFT JOIN "Port" AS port ON crew.port = port.code
  GROUP BY 1, 2
),
crew_values AS (
  SELECT coalesce(crew_groups.region_k, -1) AS region_k,
      coalesce(crew_groups.region, '') AS region,
      CAST(nullif(sum(crew_groups.x_rows), 0) AS BIGINT) AS x_2,
      CAST(nullif(sum(crew_groups.y_rows), 0) AS BIGINT) AS y_2,
      CAST(nullif(sum(crew_groups.z_rows), 0) AS BIGINT) AS z_2
  FROM crew_groups
  GROUP BY GROUPING SETS ((crew_groups.region_k, crew_groups.region), ())
  HAVING count(*) > 0
),
-- every Cal.day
cal_rows AS (
  SELECT DISTINCT CASE WHEN (cal_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS day_k,
      coalesce(cal_and_unmatched.day, DATE '1970-01-01') AS day
  FROM cal_and_unmatched
),
cells_apart AS (
  SELECT DISTINCT cells.region_k AS region_k, cells.region AS region
  FROM cells
),
each_cal_rows AS (
  SELECT DISTINCT cal_rows.day_k AS day_k,
      cal_rows.day AS day,
      cells_apart.region_k AS region_k,
      cells_apart.region AS region
  FROM cells_apart
    JOIN cal_rows ON true
),
-- sum(rows(Crew) given (match Port to Booking where Port.depth < Booking.seats AND Booking.seats < seats) for each every Cal.day)
z_over_rows AS (
  SELECT each_cal_rows.region_k AS region_k,
      each_cal_rows.region AS region,
      CAST(sum(crew_values.z_2) AS BIGINT) AS z_3
  FROM each_cal_rows
    LEFT JOIN crew_values ON crew_values.region_k = each_cal_rows.region_k AND crew_values.region = each_cal_rows.region
  GROUP BY 1, 2
)
SELECT grid.region_k, grid.region, grid.week_k, grid.week, grid.x, grid.y, grid.z
FROM (
  SELECT cells.region_k AS region_k,
      cells.region AS region,
      cells.week_k AS week_k,
      cells.week AS week,
      crew_values.x_2 AS x,
      crew_values.y_2 AS y,
      z_over_rows.z_3 AS z
  FROM cells
    LEFT JOIN crew_values ON crew_values.region_k = cells.region_k AND crew_values.region = cells.region
    LEFT JOIN z_over_rows ON z_over_rows.region_k = cells.region_k AND z_over_rows.region = cells.region
) AS grid
ORDER BY grid.region_k = -1, grid.region_k, grid.region ASC, grid.week_k = -1, grid.week_k, grid.week ASC
