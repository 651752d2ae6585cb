-- The alarms that figures are made of: whether those that are known are still all is asked often.
CREATE INDEX alarm_counted ON alarm (site_id, raised_at, id) WHERE is_silent = 0 AND is_found = 0;
