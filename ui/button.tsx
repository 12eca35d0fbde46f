import { forwardRef } from 'react';
import BootstrapButton, { type ButtonProps as BootstrapProps } from 'react-bootstrap/Button';

export interface ButtonProps extends Omit<BootstrapProps, 'variant'> {
  /** `primary` for the one thing a view is for, `bare` for icons. */
  readonly variant?: 'primary' | 'plain' | 'bare';
  /** Needed where there is only an icon. */
  readonly label?: string;
}

export const Button = forwardRef<HTMLButtonElement, ButtonProps>(function Button(
  { variant = 'plain', label, ...rest },
  ref,
) {
  return (
    <BootstrapButton
      ref={ref}
      variant={variant}
      {...(label && { 'aria-label': label, title: rest.title ?? label })}
      {...rest}
    />
  );
});
