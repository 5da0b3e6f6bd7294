const TEXTS: Readonly<Record<string, string>> = {
  ENOENT: 'there is no such file or folder',
  ENOTDIR: 'a part of its path is no folder',
  EISDIR: 'it is a folder',
  EEXIST: 'something else is there already',
  EACCES: 'that is not allowed here',
  EPERM: 'that is not allowed here',
  EROFS: 'the disk takes no changes',
  ENOSPC: 'the disk is full',
  EFBIG: 'files may not be so large here',
  EDQUOT: 'your share of the disk is used up',
  ENAMETOOLONG: 'its name is too long',
  ELOOP: 'its links lead in a circle',
  EMFILE: 'too many files are open',
  ENFILE: 'too many files are open',
  EBUSY: 'something else uses it',
  ETXTBSY: 'something else uses it',
  EIO: 'the disk failed',
  ENXIO: 'the device is not there',
  EINVAL: 'its name is none that this disk takes',
  ERR_FS_FILE_TOO_LARGE: 'it is larger than 2 GB, which only WAV, AIFF and CAF may be',
}

/** Why a file could not be read or written, in words. */
export function errnoText(error: unknown): string {
  const code = (error as { code?: unknown } | null)?.code
  return (typeof code === 'string' && TEXTS[code]) || 'the disk gave no reason that is known'
}
