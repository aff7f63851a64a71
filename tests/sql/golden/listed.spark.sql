WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.code, `Port`.region, `Port`.depth, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS code,
      CAST(NULL AS STRING) AS region,
      CAST(NULL AS BIGINT) AS depth,
      1 AS unmatched
),
-- values ('South', 3)
listed AS (
  SELECT 0 AS line_k, 0 AS line, 'South' AS column1, 3 AS column2
  FROM (
    SELECT 1 AS one
  ) AS one_context
),
-- set (Port.region, Port.depth) in values ('South', 3)
port_listed AS (
  SELECT DISTINCT members.region_k AS region_k,
      members.region AS region,
      members.depth_k AS depth_k,
      members.depth AS depth
  FROM listed
    JOIN (
    SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_k,
        coalesce(port_and_unmatched.region, '') AS region,
        CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.depth IS NULL) THEN 1 ELSE 0 END AS depth_k,
        coalesce(port_and_unmatched.depth, 0) AS depth
    FROM port_and_unmatched
  ) AS members ON members.region_k = CASE WHEN (listed.column1 IS NULL) THEN 1 ELSE 0 END AND members.region = coalesce(listed.column1, '') AND members.depth_k = CASE WHEN (listed.column2 IS NULL) THEN 1 ELSE 0 END AND members.depth = coalesce(listed.column2, 0)
  WHERE CASE WHEN (listed.column1 IS NULL) THEN 1 ELSE 0 END != 2 AND CASE WHEN (listed.column2 IS NULL) THEN 1 ELSE 0 END != 2
),
-- every Port
port_rows AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS port_row_k,
      coalesce(port_and_unmatched.code, '') AS port_row
  FROM port_and_unmatched
),
-- rows of Booking, grouped
booking_groups AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS port_row_2_k,
      coalesce(port.code, '') AS port_row_2,
      CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.depth IS NULL) THEN 1 ELSE 0 END AS depth_2_k,
      coalesce(port.depth, 0) AS depth_2,
      CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_2_k,
      coalesce(port.region, '') AS region_2,
      sum(booking.seats) AS seats_sum
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2, 3, 4, 5, 6
),
booking_values AS (
  SELECT CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats
  FROM booking_groups
    JOIN port_listed ON booking_groups.region_2_k = port_listed.region_k AND booking_groups.region_2 = port_listed.region AND booking_groups.depth_2_k = port_listed.depth_k AND booking_groups.depth_2 = port_listed.depth
    JOIN port_rows ON booking_groups.port_row_2_k = port_rows.port_row_k AND booking_groups.port_row_2 = port_rows.port_row
  HAVING count(*) > 0
)
SELECT booking_values.seats AS x
FROM (
  SELECT 1 AS one
) AS one_context
  LEFT JOIN booking_values ON true
