-- What reports say of a case has its tags, too: it is noted anew when the application begins. Of versions that no run used it stays as it was noted.
UPDATE case_revision SET summary = '' WHERE summary <> ''
 AND (used OR version = (SELECT c.version FROM test_case c WHERE c.id = test_case))
