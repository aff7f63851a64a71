WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.name, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS name, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS name_k,
      coalesce(port_and_unmatched.name, '') AS name
  FROM port_and_unmatched
),
booking_values AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS name_k,
      coalesce(port.name, '') AS name,
      CAST(sum(booking.seats) AS BIGINT) AS seats
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2
),
-- every Port.name
port_rows AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS name_2_k,
      coalesce(port_and_unmatched.name, '') AS name_2
  FROM port_and_unmatched
),
each_port_rows AS (
  SELECT DISTINCT port_lines.name_k AS name_k,
      port_lines.name AS name,
      port_rows.name_2_k AS name_2_k,
      port_rows.name_2 AS name_2
  FROM port_lines
    JOIN port_rows ON true
),
-- rank(s among every Port.name)
ranked AS (
  SELECT port_lines.name_k AS name_k, port_lines.name AS name, booking_values.seats AS own
  FROM port_lines
    LEFT JOIN booking_values ON booking_values.name_k = port_lines.name_k AND booking_values.name = port_lines.name
),
places AS (
  SELECT DISTINCT `all`.name_k AS name_k,
      `all`.name AS name,
      `all`.their_own AS their_own,
      CAST((sum(`all`.competes) OVER (PARTITION BY `all`.name_k, `all`.name ORDER BY `all`.their_own DESC RANGE BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW) - sum(`all`.competes) OVER (PARTITION BY `all`.name_k, `all`.name, `all`.their_own)) + 1 AS BIGINT) AS place
  FROM (
    SELECT each_port_rows.name_k AS name_k,
        each_port_rows.name AS name,
        booking_values.seats AS their_own,
        1 AS competes
    FROM each_port_rows
      LEFT JOIN booking_values ON booking_values.name_k = each_port_rows.name_k AND booking_values.name = each_port_rows.name
    WHERE booking_values.seats IS NOT NULL
    UNION ALL
    SELECT DISTINCT ranked.name_k AS name_k, ranked.name AS name, ranked.own AS their_own, 0 AS competes
    FROM ranked
    WHERE ranked.own IS NOT NULL
  ) AS `all`
),
-- rank(s among every Port.name)
rank_2 AS (
  SELECT ranked.name_k AS name_k, ranked.name AS name, places.place AS rank
  FROM ranked
    JOIN places ON ranked.name_k = places.name_k AND ranked.name = places.name AND ranked.own = places.their_own
)
SELECT grid.name_k, grid.name, grid.x
FROM (
  SELECT port_lines.name_k AS name_k,
      port_lines.name AS name,
      CASE WHEN (NOT (rank_2.rank IS NULL AND booking_values.seats IS NULL)) THEN coalesce(rank_2.rank, 0) + coalesce(booking_values.seats, 0) END AS x
  FROM port_lines
    LEFT JOIN rank_2 ON rank_2.name_k = port_lines.name_k AND rank_2.name = port_lines.name
    LEFT JOIN booking_values ON booking_values.name_k = port_lines.name_k AND booking_values.name = port_lines.name
) AS grid
WHERE grid.x IS NOT NULL
ORDER BY grid.name_k = -1, grid.name_k, grid.name ASC
