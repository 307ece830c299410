-- Who may see single agents at work is a right of its own: on the board, and in reports.
ALTER TABLE users ADD COLUMN sees_agents boolean NOT NULL DEFAULT false;
UPDATE users SET sees_agents = true WHERE role <> 'viewer';
