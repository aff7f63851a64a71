WITH
-- what of Crew is visible under the page
crew_lines AS (
  SELECT DISTINCT 0 AS name_k, crew.name AS name
  FROM `Crew` AS crew
),
-- Port that visible rows of Crew lead to
crew_to_port AS (
  SELECT DISTINCT 0 AS name_k, crew.name AS name, 0 AS port_k, crew.port AS port
  FROM `Crew` AS crew
  WHERE crew.port IS NOT NULL
),
-- Booking that visible rows of Tag lead to
tag_to_booking AS (
  SELECT DISTINCT 0 AS port_2_k, tag.port AS port_2
  FROM `Tag` AS tag
  WHERE (tag.tag = 'red') AND tag.port IS NOT NULL
),
-- rows of Booking, grouped
booking_groups AS (
  SELECT CASE WHEN (booking.port IS NULL) THEN 1 ELSE 0 END AS port_3_k,
      coalesce(booking.port, '') AS port_3,
      CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS code_k,
      coalesce(port.code, '') AS code,
      sum(booking.seats) AS seats_sum
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2, 3, 4
),
booking_values AS (
  SELECT crew_to_port.name_k AS name_k,
      crew_to_port.name AS name,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats
  FROM booking_groups
    JOIN crew_to_port ON booking_groups.code_k = 0 AND booking_groups.code = crew_to_port.port
    JOIN tag_to_booking ON booking_groups.port_3_k = 0 AND booking_groups.port_3 = tag_to_booking.port_2
  GROUP BY 1, 2
)
SELECT grid.name_k, grid.name, grid.x
FROM (
  SELECT crew_lines.name_k AS name_k, crew_lines.name AS name, booking_values.seats AS x
  FROM crew_lines
    LEFT JOIN booking_values ON booking_values.name_k = crew_lines.name_k AND booking_values.name = crew_lines.name
) AS grid
WHERE grid.x IS NOT NULL
ORDER BY grid.name_k = -1, grid.name_k, grid.name ASC
