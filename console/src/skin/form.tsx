/** Forms: fields of the component library, held by the form library; what the service refuses stands at its field. */
import { useEffect, type ReactNode } from 'react';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField, { type TextFieldProps } from '@mui/material/TextField';
import {
  Controller,
  useForm,
  type DefaultValues,
  type FieldValues,
  type Path,
  type RegisterOptions,
  type UseFormReturn,
} from 'react-hook-form';
import { Trouble } from '../mind/api';
import { ErrorNote } from './states';

/**
 * A form of these values. refused: what the service said of the last try; what names a field is shown at it.
 * following: values that come, or change, later are taken over by every field that nobody has changed.
 */
export function useFields<T extends FieldValues>(
  values: DefaultValues<T>,
  refused: unknown,
  following = false,
): UseFormReturn<T> {
  const form = useForm<T>({
    defaultValues: values,
    // what is kept of later values would be kept of a form that is emptied, too
    ...(following ? { values: values as T, resetOptions: { keepDirtyValues: true, keepErrors: true } } : {}),
    shouldFocusError: true,
  });
  const { setError } = form;
  useEffect(() => {
    const named = refused instanceof Trouble ? Object.entries(refused.fields) : [];
    for (const [name, message] of named) if (name in values) setError(name as Path<T>, { message });
    // what is said stands until the field is changed; the first values are of no account
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [refused, setError]);
  return form;
}

type Of<T extends FieldValues> = {
  form: UseFormReturn<T>;
  name: Path<T>;
  rules?: RegisterOptions<T>;
  changed?: (value: string) => void;
};

/** A text, a number, a day, or, with select, one of some choices. */
export function TextIn<T extends FieldValues>({
  form,
  name,
  rules,
  changed,
  ...more
}: Of<T> & Omit<TextFieldProps, 'form' | 'name' | 'value' | 'onChange' | 'error'>) {
  return (
    <Controller
      control={form.control}
      name={name}
      rules={rules as never}
      render={({ field: { ref, ...field }, fieldState }) => (
        <TextField
          {...more}
          {...field}
          inputRef={ref}
          value={field.value ?? ''}
          onChange={(e) => {
            field.onChange(e);
            changed?.(e.target.value);
          }}
          error={fieldState.invalid}
          helperText={fieldState.error?.message || more.helperText}
        />
      )}
    />
  );
}

export function CheckIn<T extends FieldValues>({ form, name, label }: Of<T> & { label: string }) {
  return (
    <Controller
      control={form.control}
      name={name}
      render={({ field }) => (
        <FormControlLabel
          label={label}
          control={<Checkbox size="small" checked={Boolean(field.value)} onChange={(_, on) => field.onChange(on)} />}
          slotProps={{ typography: { variant: 'body2' } }}
        />
      )}
    />
  );
}

export function DialogForm({
  id,
  title,
  width = 440,
  submit,
  error,
  children,
  buttons,
}: {
  id: string;
  title: string;
  width?: number;
  submit: () => void;
  error?: unknown;
  children: ReactNode;
  buttons: ReactNode;
}) {
  return (
    <form
      style={{ padding: '16px 20px', display: 'grid', gap: 12, width, maxWidth: '90vw' }}
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
    >
      <h2 id={id}>{title}</h2>
      {children}
      {error ? <ErrorNote error={error as Error} /> : null}
      <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>{buttons}</div>
    </form>
  );
}

/** What a form ends with. */
export function Sends({
  text,
  busy,
  busyText,
  ...more
}: {
  text: string;
  busy: boolean;
  busyText?: string;
  disabled?: boolean;
  color?: 'error';
}) {
  return (
    <Button type="submit" variant="contained" color={more.color} disabled={busy || more.disabled}>
      {busy ? (busyText ?? text) : text}
    </Button>
  );
}
