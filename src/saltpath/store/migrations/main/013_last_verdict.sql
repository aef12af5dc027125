-- How each case ended lately, kept as it ends: `runs` is [run, verdict, started_at, us], newest first, at most ten.
CREATE TABLE last_verdict (
    test_case INTEGER PRIMARY KEY REFERENCES test_case, project INTEGER NOT NULL REFERENCES project,
    since INTEGER NOT NULL, runs TEXT NOT NULL
);
CREATE INDEX last_verdict_by_project ON last_verdict (project, test_case);
WITH ended AS (
    SELECT rc.project, rc.test_case, rc.run, rc.verdict, COALESCE(rc.started_at, r.asked_at) AS at, COALESCE(rc.us, 0) AS us,
        ROW_NUMBER() OVER (PARTITION BY rc.test_case ORDER BY rc.run DESC) AS n
    FROM run_case rc JOIN run r ON r.id = rc.run WHERE rc.kind = 'run' AND rc.state = 'finished'
), newest AS (SELECT * FROM ended WHERE n <= 10 ORDER BY test_case, n),
changed AS (
    SELECT e.test_case, MIN(e.n) AS n FROM newest e JOIN newest f ON f.test_case = e.test_case AND f.n = 1
    WHERE e.verdict <> f.verdict GROUP BY e.test_case
)
INSERT INTO last_verdict (test_case, project, since, runs)
SELECT e.test_case, e.project, MIN(CASE WHEN e.n < COALESCE(c.n, 11) THEN e.at END),
    json_group_array(json_array(e.run, e.verdict, e.at, e.us))
FROM newest e LEFT JOIN changed c ON c.test_case = e.test_case GROUP BY e.test_case;
